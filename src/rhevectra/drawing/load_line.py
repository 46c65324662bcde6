"""Output of a stage that runs at a fixed ratio: how it falls with the load at each bus, between the limits of the requirement."""

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, shown_at
from rhevectra.drawing.display import Picture


def unregulated(design: Design) -> bool:
    """Whether a design runs at a fixed ratio."""
    return "llc.gain" in design.rows


def _curves(design: Design) -> list[tuple[Array, Array, float]]:
    """Output current [A] and voltage [V] over the loads in run, and the bus [V], at the least and the greatest bus of the grid."""
    grid = design.grid
    amps, volts, bus = (np.broadcast_to(np.asarray(design.rows[id].value, dtype=float), grid.shape)
                        for id in ("load.i1", "output1.v", "bus.v"))
    run = sorted((k for k, p in enumerate(grid.points) if p.case == "run" and not p.label), key=lambda k: grid.points[k].load)
    full = bus[:, :, grid.full_load, :]
    ends = [np.unravel_index(int(k), full.shape) for k in dict.fromkeys((full.argmin(), full.argmax()))]
    return [(amps[i, j, run, b], volts[i, j, run, b], float(full[i, j, b])) for i, j, b in ends]


def load_line(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Output voltage over output current at the least and the greatest bus of the grid; the corner in view marked."""
    rows, curves = design.rows, _curves(design)
    low, high = float(rows["output1.v_min"].value), float(rows["output1.v_max"].value)
    least, most = min(low, *(float(v.min()) for _, v, _ in curves)), max(high, *(float(v.max()) for _, v, _ in curves))
    room = 0.12 * (most - least)
    picture = Picture(width, height, f"{shown_at(corner)} · {show(float(rows['llc.fr'].value), 'Hz', 3)} at any load")
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0.0, 1.05 * float(max(a.max() for a, _, _ in curves))),
                  (least - room, most + room), "output voltage", "V", x_unit="A of output")
    for a, v, _ in _curves(held) if held is not None and unregulated(held) else ():
        frame.pale(a, v)
    frame.level(high, f"at most {show(high, 'V')}", "tight")
    frame.level(low, f"at least {show(low, 'V')}", "tight")
    for k, ((a, v, at), role) in enumerate(zip(curves, ("primary", "secondary"), strict=False)):
        inside = bool((v >= low).all() and (v <= high).all())
        frame.trace(f"bus {show(at, 'V', 3)}", a, v, role, 0.6)
        picture.text(frame.x(float(a[-1])) - 1, frame.y(float(v[-1])) + (4.5 if k == 0 < len(curves) - 1 else -1.5),
                     f"bus {show(at, 'V', 3)}" + ("" if inside else ": outside"), role if inside else "over", "right", 3.0, clear=True)
    x, y = (float(np.broadcast_to(np.asarray(rows[id].value, dtype=float), design.grid.shape)[corner.index])
            for id in ("load.i1", "output1.v"))
    if x <= frame.x1:
        picture.box(frame.x(x) - 0.8, frame.y(y) - 0.8, 1.6, 1.6, "ink")
    frame.close()
    return picture
