"""The bench: what a made supply should read, from the design that it was made from."""
