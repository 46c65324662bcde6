"""Rhevectra: sizing of mains-powered isolated converters."""

__version__ = "0.1.0"
