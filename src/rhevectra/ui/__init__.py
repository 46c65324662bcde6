"""The window. Qt only in here."""
