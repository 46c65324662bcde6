"""Balances every topology's design must keep, whatever it is."""

import numpy as np

from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.pictures import PICTURES, pictures_of


def whole(d, x):
    """A row or number at every corner of a design's grid."""
    return np.broadcast_to(np.asarray(getattr(x, "value", x), float), d.grid.shape)


BEFORE = ("input_capacitors", "brown_out")
"""What burns before the point at which the power of a stage is told."""
FRONT = ("bridge", "thermistor", "mains_filter", "bulk", "x_discharge", "start_up", *BEFORE)
"""The same behind the mains."""


def check_balance(d, front=(), most=0.005, loaded=False):
    """In run (loaded: with load), what the bus gives is output plus listed losses (those of the front end named and what burns before it
    left out) within `most`, and what the front end is worked out for is that within a two hundredth of the greatest; no row is NaN or
    infinite."""
    lost = sum(whole(d, r) for name, r in d.losses.items() if name not in (*front, *BEFORE))
    run = np.broadcast_to(d.grid.where(lambda p: p.case == "run" and (p.load > 0 or not loaded)), d.grid.shape)
    drawn = whole(d, d.context["o"]["p_bus"])
    assert np.abs((whole(d, d.rows["load.power"]) + lost) / drawn - 1)[run].max() < most
    if "bulk.p_load" in d.rows:
        fed = whole(d, d.rows["bulk.p_load"]).mean(-1)
        assert np.abs(
            fed - drawn.mean(-1))[run.all(-1)].max() < 0.005 * fed.max(), "the front end is worked out for the power the stage draws"
    check_finite(d)


def check_finite(d):
    """No row is NaN or infinite."""
    assert all(np.isfinite(np.asarray(r.value, float)).all() for r in d.rows.values() if not isinstance(r.value, str))


def check_read_out(picture):
    """The cursor can read every trace of every frame: its data is there, both axes of one length, and belongs to no other frame."""
    names = [name for frame in picture.frames for name in frame.traces]
    assert len(names) == len(set(names))
    for frame in picture.frames:
        for name in frame.traces:
            x, y = picture.data[f"{name} x [{frame.x_unit}]"], picture.data[f"{name} [{frame.y_unit}]"]
            assert len(x) == len(y) > 1 and np.all(np.isfinite(y)), name


ALONE = ("takes longer than its period", "worked out by finite elements")
"""What a picture says that may have nothing more to show: no period fits, or no conductor lies in the window."""


def check_drawn(d, corner, held=None):
    """Every picture of every stage is drawn, and every drawn symbol is an element of the exported circuit."""
    for stage in (s for s, _, _ in d.plates):
        for key in pictures_of(d, stage):
            picture = PICTURES[key][1](d, corner, 130, 90, held)
            assert len(picture.items) > 5 or any(said in getattr(i, "text", "") for i in picture.items for said in ALONE), key
            check_read_out(picture)
    topology = TOPOLOGIES[d.topology]
    names = {e.name.lower() for e in topology.circuit(d, corner).elements}
    assert {s.element.lower() for s in topology.schematic(d, corner) if s.element} <= names
