"""What the legs of a shared core carry: flux of the phases and of their sum over a period, and every leg of both ways to share."""

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.legs import LegFluxes, in_a_row, turned
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.drawing.axes import Frame
from rhevectra.drawing.common import LEFT, RIGHT, same_corner, shown_at
from rhevectra.drawing.display import Picture
from rhevectra.drawing.lines import under

FOOT = 28.0
_ROLES = ("primary", "secondary", "aux")


def legs_picture(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Fluxes over a period above, the largest of every leg below."""
    found = TOPOLOGIES[design.topology].legs_view(design, corner)
    picture = Picture(width, height,
                      f"{shown_at(corner)} · each phase has a {found.core} of its own; what their legs would carry on a shared core")
    room = height - FOOT
    top = 1.25 * found.largest * 1e6
    frame = Frame(picture, LEFT, 1, width - LEFT - RIGHT, 0.55 * room - 8, (0.0, float(found.t[-1])), (-top, top), "flux of the wound legs",
                  "µWb")
    if held is not None and "legs" not in TOPOLOGIES[held.topology].NO_PICTURES:
        was = TOPOLOGIES[held.topology].legs_view(held, same_corner(held, corner))
        for flux in (*was.posts, was.middle):
            frame.beside(was.t, 1e6 * flux, "pale", 0.5)
    for k, (flux, role) in enumerate(zip(found.posts, _ROLES, strict=False)):
        frame.trace(f"phase {k + 1}", found.t, 1e6 * flux, role, 0.5)
    frame.trace("all three", found.t, 1e6 * found.middle, "ink", 0.7, True)
    picture.text(frame.left + frame.width - 2, frame.top + 4, "– –  all three together", "ink", "right", 3.0, clear=True)
    frame.close()
    _bars(picture, found, 3 + 0.55 * room, 0.45 * room - 8, width)
    for k, line in enumerate(under(said(found), width, 1.36)[:6]):
        picture.text(3, height - FOOT + 4 + 4.0 * k, line, "ink", "left", 2.9)
    return picture


def _bars(picture: Picture, found: LegFluxes, y: float, high: float, width: float) -> None:
    """The largest flux of every leg."""
    n = len(found.posts)
    rows = [("wound legs, each", found.largest, found.area_post, "primary"),
            *((f"row, outer leg {k + 1}" + (" (shared)" if 0 < k < n else ""), found.share(leg) * found.largest, found.area_leg,
               "secondary") for k, leg in enumerate(found.row)),
            ("one leg that closes all", found.share(found.middle) * found.largest, found.area_post, "ink")]
    step, left, right = min(high / len(rows), 6.0), 0.34 * width, 0.64 * width
    for k, (name, flux, area, role) in enumerate(rows):
        line = y + step * (k + 0.7)
        picture.text(3, line, name, role, "left", 2.9)
        picture.box(left, line - 0.6 * step, (right - left) * flux / found.largest, 0.6 * step, role)
        picture.text(right + 2, line, f"{show(flux, 'Wb', 3)}, {show(flux / area, 'T', 2)} in {show(area, 'm²', 3)}", "ink", "left", 2.9)


def said(found: LegFluxes) -> str:
    """What sharing saves, what the sum asks for, and what one phase wound the wrong way would do: told from the numbers."""
    n, closes = len(found.posts), found.share(found.middle)
    wrong = max(max(found.share(leg) for leg in in_a_row(turned(found.posts, [k]))[1:-1]) for k in range(n))
    row = (f"In a row a shared leg carries {found.shared:.2f} of a wound one, where two legs carried half each"
           + (f": {found.saved * 100:.0f} % of the cores is saved" if found.saved else "; this shape is closed, its legs cannot be shared")
           + ".")
    return (f"{row} Around one leg that closes all, only what the phases have in common stays (the third harmonic and its multiples): "
            f"{closes:.2f} of a wound leg. Left out, that flux closes through the air and its field heats what is near. "
            f"With one phase wound the other way round a shared leg would carry {wrong:.2f}: check the polarity of every phase before the "
            "first switching on.")
