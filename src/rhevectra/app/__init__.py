"""Services without interface: what the window and the command line share."""
