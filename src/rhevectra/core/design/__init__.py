"""From requirement and decisions to one immutable Design."""
