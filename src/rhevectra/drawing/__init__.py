"""Pictures as display lists: drawn once from a design, painted by the window and by exports."""
