"""The core: sizing without any interface, file writing or clock."""
