"""Cores beside the chosen one: what each would do with its own best turns and wire, and what refuses it; a click takes one."""

from collections.abc import Callable

import numpy as np

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.magnetics.neighbours import Tried, neighbours
from rhevectra.drawing.display import Picture, Spot

DECISION = "transformer.core"
ROWS = 9
COLUMNS: tuple[tuple[str, Callable[[Tried], float], str], ...] = (
    ("volume", lambda t: t.volume, "cm³"), ("tall", lambda t: t.tall, "m"), ("core", lambda t: t.core_loss, "W"),
    ("copper", lambda t: t.copper, "W"), ("leakage", lambda t: t.leakage, "H"), ("fill", lambda t: t.fill, "%"),
    ("rise", lambda t: t.rise, "K"))


def cores(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """Volume, height, losses, leakage, fill and rise of the cores around the choice, as bars over the greatest of them."""
    plan = design.context["plan"]
    made, columns = neighbours(plan, ROWS), [c for c in COLUMNS if plan.need.board is None or c[0] != "leakage"]
    picture = Picture(width, height, "cores around the chosen one, each with its best turns and wire in the search, leakage by the field "
                      "alone; a click takes one")
    picture.decides = DECISION
    first, pitch = 33.0, min(12.5, (height - 16) / len(made))
    each = (width - first - 4) / len(columns)
    size = min(2.9, each / 4.3)
    for c, (name, _, _) in enumerate(columns):
        picture.text(first + c * each, 6, name, "muted", "left", size)
    for r, tried in enumerate(made):
        y = 10.5 + r * pitch
        picture.box(2, y - 3, width - 4, pitch - 1.2, "card", "accent" if tried.chosen else "rule")
        picture.text(4, y + 0.6, tried.name, "ink", "left", 3.1, tried.chosen)
        if pitch > 9.5:
            told = tried.refused or tried.against or ("now" if tried.chosen else f"{tried.turns} turns")
            picture.text(4, y + pitch - 5.0, told, "over" if tried.refused else "muted", "left", 2.7)
        for c, (_, value, unit) in enumerate(columns):
            most, v = max(max(value(t) for t in made), 1e-15), value(tried)
            x = first + c * each
            picture.text(x, y + 0.6,
                         f"{v * 100:.0f} %" if unit == "%" else f"{v * 1e6:.3g} cm³" if unit == "cm³"
                         else show(v, unit, 2 if unit == "m" else 3), "ink", "left", size)
            picture.box(x, y + 1.7, max((each - 5) * min(v / most, 1.0), 0.3), 1.4, "over" if (unit == "%" and v > 1) else "primary")
        picture.spots.append(Spot(2, y - 3, width - 4, pitch - 1.2, tried.name, tried.refused or tried.against or "takes this core"))
    picture.data["leakage [H]"] = np.array([t.leakage for t in made])
    picture.data["rise [K]"] = np.array([t.rise for t in made])
    return picture
