"""Up to what load the current limit lets a supply go, over the line."""

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT
from rhevectra.drawing.display import Picture

PERCENT = 100.0


def told(design: Design) -> bool:
    """Whether a design tells where its current limit takes over."""
    return "overload.most" in design.rows


def _ends(design: Design) -> tuple[Array, Array, Array]:
    """Lines [V], and at each the least and the greatest load at which a current limit takes over, in per cent of full load."""
    grid = design.grid
    point = grid.find(grid.lines[0], case="limit").index[2]
    least, most = (PERCENT * np.broadcast_to(design.rows[f"overload.{end}"].value, grid.shape)[:, :, point, :] for end in ("least", "most"))
    return np.asarray(grid.lines), least.min((1, 2)), most.max((1, 2))


def overload_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Both ends over the line, full load and what the rectifiers are rated for; the line in view marked."""
    lines, least, most = _ends(design)
    before = _ends(held) if held is not None and told(held) else None
    main, rated = design.delivered.outputs[design.delivered.main], PERCENT * float(design.rows["overload.most_limit"].value)
    alone = len(design.delivered.outputs) == 1
    amps = f"{show(main.current_max * float(least.min()) / PERCENT, 'A')} to {show(main.current_max * float(most.max()) / PERCENT, 'A')}"
    picture = Picture(width, height, f"gives way between the lines: {amps} of {main.name}"
                      + ("" if alone else ", all outputs rising together"))
    top = 1.1 * max(float(x.max()) for x in (most, *(() if before is None else before[2:])))
    top = max(top, 1.05 * rated) if rated < 1.4 * top else top
    ends = (float(lines[0]), float(lines[-1])) if len(lines) > 1 else (0.95 * float(lines[0]), 1.05 * float(lines[0]))
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, height - 10, ends, (0.0, top), "load where the current limit takes over", "%",
                  x_unit="V of input" if design.requirement.is_dc else "V of mains")
    if before is not None:
        for values in before[1:]:
            frame.pale(before[0], values)
    frame.level(PERCENT, f"full load, {show(main.current_max, 'A')}", "tight")
    frame.level(rated, f"rectifiers are rated for {rated:.0f} %", "over")
    for name, values, role in (("greatest limit", most, "primary"), ("least limit", least, "secondary")):
        frame.trace(name, lines, values, role, 0.7)
        picture.label(frame.left + frame.width - 2, frame.y(float(values[-1])) - 1.5, name, role, "right")
        here = float(np.interp(corner.v_line, lines, values))
        picture.box(frame.x(corner.v_line) - 0.8, frame.y(here) - 0.8, 1.6, 1.6, "ink")
    frame.close()
    return picture
