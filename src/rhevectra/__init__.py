"""Sizing of mains-powered isolated converters, from the written requirement to the bench log."""

import os

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")  # the matrices here are small: threads only wait for each other

__version__ = "0.1.0"
