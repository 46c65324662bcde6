"""Efficiency over load at every line, and what is drawn at no load."""

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, same_corner, shown_at
from rhevectra.drawing.display import Picture

PERCENT, FROM, COUNT = 100.0, 0.04, 49
"""Least load drawn, over full load: below it what is lost at no load is all there is; and how many loads are drawn."""
ROLES = ("primary", "aux", "secondary", "accent")


def between(loads: Array, values: Array, x: Array) -> Array:
    """Values at loads x from those worked out at `loads` (rising): between two of them the mean, weighted by the distance, of the parabolas
    through either and both its neighbours. Heat in resistances goes with the square of the load, most of the rest straight with it."""
    found, last = np.empty(len(x)), len(loads) - 2
    at = np.clip(np.searchsorted(loads, x, "right") - 1, 0, last)
    for k in np.unique(at):
        here = at == k
        share = (x[here] - loads[k]) / (loads[k + 1] - loads[k])
        sides = [np.polyval(np.polyfit(loads[j - 1 : j + 2], values[j - 1 : j + 2], 2), x[here]) for j in (max(k, 1), min(k + 1, last))]
        found[here] = (1 - share) * sides[0] + share * sides[1]
    return found


def _curve(design: Design, line: int) -> tuple[Array, Array, Array, Array]:
    """Loads drawn and efficiency there, loads worked out and theirs, all in per cent: at the line's worst frequency and end of the bus for
    each load."""
    grid = design.grid
    run = sorted((k for k, p in enumerate(grid.points) if p.case == "run" and not p.label), key=lambda k: grid.points[k].load)
    loads = np.array([grid.points[k].load for k in run])
    out, lost = (np.broadcast_to(design.rows[id].value, grid.shape)[line][:, run, :].transpose(1, 0, 2).reshape(len(run), -1)
                 for id in ("load.power", "loss.total"))
    out, lost = out[:, 0], lost.max(1)
    x = np.linspace(FROM, loads[-1], COUNT)
    power, loss = np.interp(x, loads, out), between(loads, lost, x)
    drawn = loads > FROM
    return (PERCENT * x, PERCENT * power / (power + loss), PERCENT * loads[drawn],
            PERCENT * out[drawn] / (out[drawn] + lost[drawn]))


def efficiency_curves(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """One curve for each line; squares at the loads that are worked out, the corner in view marked; pale: the held design's line."""
    rows, grid = design.rows, design.grid
    curves = [_curve(design, k) for k in range(len(grid.lines))]
    old = None if held is None else _curve(held, same_corner(held, corner).index[0])
    idle = float(np.max(design.value("standby.power")))
    picture = Picture(width, height, f"{shown_at(corner)}; no load draws up to {show(idle, 'W')}")
    low = min(float(y.min()) for _, y, *_ in (*curves, *(() if old is None else (old,))))
    high = max(float(y.max()) for _, y, *_ in (*curves, *(() if old is None else (old,))))
    target = PERCENT * float(rows["efficiency.target"].value)
    low, high = min(low, target), max(high, target)
    room = 0.06 * (high - low)
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, (0.0, PERCENT), (low - room, min(high + room, PERCENT)),
                  "efficiency", "%", x_unit="% load", x_ticks=(0, 20, 40, 60, 80, 100))
    if old is not None:
        frame.pale(old[0], old[1])
    frame.level(target, f"asked for at full load, {target:.4g} %", "tight")
    for k, ((x, y, loads, there), line) in enumerate(zip(curves, grid.lines, strict=True)):
        role = ROLES[k % len(ROLES)]
        frame.trace(f"{line:g} V", x, y, role, 0.6)
        frame.marks(loads, there, np.ones(len(loads), bool), role)
        picture.text(frame.left + frame.width - 2, frame.top + frame.height - 5.0 - 4.4 * (len(curves) - 1 - k), f"{line:g} V", role,
                     "right", 3.2, clear=True)
    power, loss = (float(rows[id].at(corner.index)) for id in ("load.power", "loss.total"))
    if corner.case == "run" and corner.load > FROM and not grid.points[corner.index[2]].label:  # others share their load otherwise
        picture.box(frame.x(PERCENT * corner.load) - 1.1, frame.y(PERCENT * power / (power + loss)) - 1.1, 2.2, 2.2, "ink")
    frame.close()
    return picture
