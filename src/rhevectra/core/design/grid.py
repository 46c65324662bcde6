"""The corners a supply is designed at."""

from types import ModuleType

from rhevectra.core.basis.corners import LOADS, Grid, Point
from rhevectra.core.basis.remembered import remembered
from rhevectra.core.basis.requirement import Requirement


@remembered(8)
def make_grid(need: Requirement, front: ModuleType, own: tuple[float, ...] = ()) -> Grid:
    """Lines, frequencies, operating points and bus ends; with several outputs the cross cases too. own: what a regulator behind each output
    takes for itself [A]."""
    lines, freqs, bus = front.axes(need)
    outs = need.outputs
    at = lambda currents: tuple(i + g for i, g in zip(currents, own or (0.0,) * len(outs), strict=True))  # noqa: E731
    points = [Point("run", share, at(max(share * o.current_max, o.current_min) for o in outs)) for share in LOADS]
    if len(outs) > 1:
        points += [Point("run", 0.5, at(o.current_max if k == i else o.current_min for k, o in enumerate(outs)),
                         f"only {outs[i].name} at full load") for i in range(len(outs))]
    if any((o.current_peak or 0) > o.current_max for o in outs):
        points.append(Point("peak", 1.0, at(o.current_peak or o.current_max for o in outs)))
    points.append(Point("limit", 1.0, at(o.current_max for o in outs)))
    special = {"nominal_max": max(need.mains.nominals), "hold_up_at": float(need.hold_up_at or need.mains.v_max),
               "nominals": tuple(need.mains.nominals)}
    return Grid(lines, freqs, tuple(points), bus, special)
