"""Cores, windings, losses and temperature of the transformer."""
