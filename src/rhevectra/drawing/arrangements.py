"""The usual orders of the windings side by side, on the core and turns that were chosen; a click takes one."""

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.formulas.magnetics import leakage_best
from rhevectra.core.magnetics import arrangement
from rhevectra.core.magnetics.compare import Wound, alternatives, in_order
from rhevectra.core.topologies.common.winding import LEAD_OUT, wires
from rhevectra.drawing.display import Picture, Spot

DECISION = "transformer.arrangement"
_NAMES = {"split": "split primary", "simple": "simple", "interleaved": "full interleave", "shielded": "split, shielded"}


def arrangements(design: Design, corner: Corner, width: float, height: float, held: Design | None = None) -> Picture:
    """The orders of wire, which are quick to lay."""
    return orders_picture(design, alternatives(design.context["plan"], str(design.rows[DECISION].value), wires(design.catalogue)), width,
                          height)


def orders_picture(design: Design, made: list[Wound] | None, width: float, height: float) -> Picture:
    """Leakage, copper loss, capacitance, height and rise of each order, as bars over the greatest of them."""
    now = str(design.rows[DECISION].value)
    laid = "tracks laid" if design.context["plan"].need.board is not None else "wire chosen"
    picture = Picture(width, height, f"the same core and turns in other orders, {laid} anew for each; a click takes one")
    if made is None:
        for k, text in enumerate(arrangement.PRESETS):
            picture.box(2, 8 + 18 * k, width - 4, 16, "card", "rule")
            picture.text(4, 17 + 18 * k, f"{_NAMES[text]}: its field is being solved …", "muted", "left", 3.2)
        return picture
    picture.decides = DECISION
    columns = (("leakage", lambda w: _leakage(design, w), "H"), ("copper", lambda w: w.copper, "W"),
               ("coupling", lambda w: w.capacitance, "F"), ("height", lambda w: w.fill, "%"), ("rise", lambda w: w.rise, "K"))
    first, pitch = 34.0, min(18.0, (height - 16) / len(made))
    each = (width - first - 4) / len(columns)
    for c, (name, _, _) in enumerate(columns):
        picture.text(first + c * each, 6, name, "muted", "left", 2.9)
    for r, w in enumerate(made):
        y = 11 + r * pitch
        picture.box(2, y - 3, width - 4, pitch - 2, "card", "accent" if w.text == now else "rule")
        _row(picture, w, y, w.text == now, pitch)
        for c, (_, value, unit) in enumerate(columns):
            most = max(max(value(x) for x in made), 1e-15)
            x, v = first + c * each, value(w)
            picture.box(x, y + 2.6, max((each - 5) * v / most, 0.3), 2.4, "over" if (unit == "%" and v > 1) else "primary")
            picture.text(x, y + 1, f"{v * 100:.0f} %" if unit == "%" else show(v, unit, 3), "ink", "left", 3.4)
        picture.spots.append(Spot(2, y - 3, width - 4, pitch - 2, w.text, w.refused or "takes this order"))
    picture.text(2, 13 + len(made) * pitch, "losses by the currents the core was chosen with; coupling: capacitance to the outputs",
                 "muted", "left", 2.7)
    return picture


def _leakage(design: Design, w: Wound) -> float:
    """Leakage as the figure tells it [H]: with lead-outs, never below the stated share."""
    rows = design.rows
    return float(
        leakage_best(w.leakage, LEAD_OUT, float(rows["transformer.leakage_share"].value), float(rows["transformer.lp_plan"].value)))


def foretold(design: Design, text: str) -> str:
    """What the core and turns there are come to in another order, beside what they are now, in a few lines; nothing for a board, whose
    field takes longer than a hand."""
    plan = design.context["plan"]
    if plan.need.board is not None:
        return ""
    try:
        made = in_order(plan, text, wires(design.catalogue))
    except InputError as wrong:
        return wrong.wrong
    leakage, fill = (design.most(f"transformer.{k}") for k in ("leakage", "fill"))
    told = (f"with this core and these turns\nleakage {show(_leakage(design, made), 'H', 3)}, now {show(leakage, 'H', 3)}\nheight used "
            f"{made.fill * 100:.0f} %, now {fill * 100:.0f} %")
    return told + (f"\nrefused: {made.refused}" if made.refused else "")


def _row(picture: Picture, w: Wound, y: float, now: bool, pitch: float) -> None:
    """Name of one order, whether it is the present one, and what refuses it."""
    picture.text(4, y + 1, _NAMES.get(w.text, "your own"), "ink", "left", 3.4, now)
    told = "now" if now else ""
    if w.refused:
        told = f"{told}: {w.refused}" if told else f"refused: {w.refused}"
    elif w.shielded:
        told = f"{told + ': ' if told else ''}shields take the capacitance's current to the primary"
    if told and pitch > 11:
        picture.text(4, y + 8.6, told, "over" if w.refused else "muted", "left", 3.0)
