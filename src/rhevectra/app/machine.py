"""What this computer offers."""

import os


def processors() -> int:
    """Processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
