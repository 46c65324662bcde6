"""Balances every topology's design must keep, whatever it is."""

import numpy as np


def whole(d, x):
    """A row or number at every corner of a design's grid."""
    return np.broadcast_to(np.asarray(getattr(x, "value", x), float), d.grid.shape)


def check_balance(d, front=()):
    """In run, what the bus gives is output plus listed losses (those of the front end named left out) within 0.5 %; no row is NaN or infinite."""
    lost = sum(whole(d, r) for name, r in d.losses.items() if name not in front)
    run = np.broadcast_to(d.grid.where(lambda p: p.case == "run"), d.grid.shape)
    assert np.abs((whole(d, d.rows["load.power"]) + lost) / whole(d, d.context["o"]["p_bus"]) - 1)[run].max() < 0.005
    check_finite(d)


def check_finite(d):
    """No row is NaN or infinite."""
    assert all(np.isfinite(np.asarray(r.value, float)).all() for r in d.rows.values() if not isinstance(r.value, str))
