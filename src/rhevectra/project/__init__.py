"""The document on disk."""
