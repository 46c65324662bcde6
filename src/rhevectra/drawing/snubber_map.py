"""The map of a rectifier's snubber: reverse voltage over resistor and capacitor, lines of loss, the present values; a click or a drag
chooses both."""

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.drawing import plane as on
from rhevectra.drawing.display import Picture

BELOW = 34.0
LOSSES = (0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1.0, 2.0, 5.0, 10.0, 20.0)


def snubber_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The map with its legend and what either part moves."""
    from rhevectra.core.design.snubber_map import snubber_map

    m = snubber_map(design)
    picture = Picture(width, height, "snubber across the main rectifier: colour for its peak reverse voltage at the worst corner, lines "
                      "for the loss at full load")
    plane = on.Plane(m.r, m.c, width, height, BELOW)
    on.cells(picture, plane, m.peak / m.peak_limit)
    on.lines(picture, plane, m.loss, LOSSES, lambda v: show(v, "W", 2))
    on.ticks(picture, plane)
    was = snubber_map(held).now if held is not None and held.topology == design.topology else None
    for now, role in ((was, "muted"), (m.now, "accent")):
        if now is not None:
            on.cross(picture, plane, *now, role)
    picture.text(plane.left, 4.2, f"reverse voltage over its limit of {show(m.peak_limit, 'V')} ({show(m.bare, 'V', 3)} without); lines: "
                 "loss; drag the mark", "ink", "left", 3.2)
    foot = plane.top + plane.height + 8.0
    on.legend(picture, plane, foot)
    for k, sentence in enumerate(m.sentences):
        picture.text(3, foot + 6.2 + 4.6 * k, sentence, "ink" if k < 2 else "muted", "left", min(3.0, (width - 8) / 43))
    picture.text(3, foot + 20.6, "colour alone tells whether the part bears it; the ringing allowance is judged in the ledger", "muted",
                 "left", min(2.7, (width - 8) / 47))

    def chosen(x: float, y: float) -> tuple[dict[str, float | str], str] | None:
        found = plane.values(x, y, "E12")
        if found is None:
            return None
        r, c = found
        at = plane.place(r, c)
        return ({"rectifier.snubber": "rc", f"{m.name}.snubber_r": r, f"{m.name}.snubber_c": c},
                f"{show(r, 'Ω')}, {show(c, 'F')}: about {show(float(m.peak[at]), 'V', 3)}, {show(float(m.loss[at]), 'W', 2)}")
    picture.pick = chosen
    return picture
