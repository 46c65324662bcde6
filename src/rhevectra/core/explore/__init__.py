"""Many designs around one: what is varied, the points that are tried, and which of them nothing beats."""
