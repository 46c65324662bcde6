"""Colours by role, the shipped font, and the style of the controls."""
