"""The clamp's map: drain peak over resistor and capacitor, lines of power and ripple, the present values; a click or a drag chooses
others."""

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.stages.rcd_map import ClampMap, clamp_map
from rhevectra.drawing import plane as on
from rhevectra.drawing.display import Picture

BELOW = 40.4
POWERS = (0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0, 50.0)
RIPPLES = (0.02, 0.05, 0.1, 0.2, 0.5)


def map_picture(design: Design, found: ClampMap | None, width: float, height: float, held: Design | None = None) -> Picture:
    """The map with its legend and the answers to the common beliefs: at once by the formulas, by exact periods where these have been
    found."""
    m = clamp_map(design) if found is None else found
    picture = Picture(width, height, "clamp resistor and capacitor: colour for the drain peak at the worst corner, lines for power and "
                      "ripple at full load")
    plane = on.Plane(m.r, m.c, width, height, BELOW)
    on.cells(picture, plane, m.peak / m.peak_limit)
    on.lines(picture, plane, m.power, POWERS, lambda v: show(v, "W", 2))
    on.lines(picture, plane, m.ripple, RIPPLES, lambda v: f"{v * 100:g} %", True)
    on.ticks(picture, plane)
    for d, role in ((held, "muted"), (design, "accent")):
        if d is not None and "clamp.r" in d.rows:
            on.cross(picture, plane, float(d.rows["clamp.r"].value), float(d.rows["clamp.c"].value), role)
    by = "by exact periods" if m.exact else "by the formulas, exact periods follow"
    picture.text(plane.left, 4.2,
                 f"drain peak over its limit of {show(m.peak_limit, 'V')}, {by}; lines: power, dashed: ripple; drag the mark", "ink",
                 "left", min(3.2, (width - plane.left) / 53))
    foot = plane.top + plane.height + 8.0
    on.legend(picture, plane, foot)
    size = min(3.1, (width - 8) / 43)
    for k, (head, tail) in enumerate(m.sentences):
        picture.text(3, foot + 6.2 + 6.4 * k, head, "ink", "left", size)
        picture.text(3, foot + 9.2 + 6.4 * k, tail, "muted", "left", 0.9 * size)

    def chosen(x: float, y: float) -> tuple[dict[str, float | str], str] | None:
        found = plane.values(x, y)
        if found is None:
            return None
        r, c = found
        at = plane.place(r, c)
        return ({"clamp.r": r, "clamp.c": c}, f"{show(r, 'Ω')}, {show(c, 'F')}: "
                f"{'' if m.exact else 'about '}{show(float(m.peak[at]), 'V', 3)}, {show(float(m.power[at]), 'W', 2)}, ripple "
                f"{m.ripple[at] * 100:.0f} %")
    picture.pick = chosen
    return picture
