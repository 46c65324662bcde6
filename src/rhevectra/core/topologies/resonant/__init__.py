"""Resonant stages with a magnetising inductance in the tank (LLC): what their members share."""
