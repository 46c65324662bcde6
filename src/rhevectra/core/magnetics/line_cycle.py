"""Angles of a line cycle at which currents are worked out, and the weights of their mean."""

import numpy as np

from rhevectra.core.formulas.rectifier import gauss

_NODES, _WEIGHTS = gauss(24)
ANGLES = 0.25 * np.pi * (_NODES + 1)
"""Quarter of a line cycle [rad]: the rest repeats it."""
WEIGHTS = 0.5 * _WEIGHTS
"""Of the mean over the quarter."""
