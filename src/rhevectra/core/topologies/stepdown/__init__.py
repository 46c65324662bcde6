"""Stages that feed a filter inductor through a transformer: what the two-switch forward and the full bridge have in common."""
