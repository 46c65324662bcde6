"""Where every turn of a chosen transformer lies in its window, as the sizing laid it."""

from typing import Any

from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.quantities import show
from rhevectra.core.magnetics.arrangement import SHIELD_FOIL, counts, word
from rhevectra.core.magnetics.board import SKIN
from rhevectra.core.magnetics.board_copper import tracks_of
from rhevectra.core.magnetics.effective import across
from rhevectra.core.magnetics.transformer import primary_side, wound
from rhevectra.core.magnetics.winding import BULGE
from rhevectra.core.magnetics.windows import legs_called

Box = tuple[float, float, float, float]
REACH = 1.25
"""Windows beyond which turns are counted and not laid: a slip of the keyboard asks for millions."""


class Wire(Struct, frozen=True):
    """One bundle, wire or foil in the window: centre and radius over insulation [m], side, winding number, strands and their diameter [m]
    (of a foil its thickness), share of a turn's current that it carries; width of a foil or track [m], 0 of a wire; whether it lies across
    the post, as tracks do."""

    x: float
    y: float
    radius: float
    side: str
    winding: int
    strands: int
    diameter: float
    share: float
    wide: float = 0.0
    across: bool = False


class Band(Struct, frozen=True):
    """One block of the window: from, to [m]; word of its winding, turns in it, and a sentence."""

    begin: float
    end: float
    word: str
    turns: int
    tip: str


class Layout(Struct, frozen=True):
    """Window across and along the post [m]; bobbin, tapes, margins and shields as boxes (x, y, width, height) [m]; turns; blocks; what the
    legs at both sides are called."""

    radial: float
    along: float
    bobbin: list[Box]
    tapes: list[Box]
    margins: list[Box]
    foils: list[Box]
    wires: list[Wire]
    bands: list[Band]
    legs: tuple[str, str]


def names_of(need: Any) -> list[str]:
    """Windings in words, in their order."""
    return ["primary" if need.halves == 1 else "both halves of the primary",
            *("reset" if w.name == "nr" else f"secondary {w.name[2:]}" for w in need.windings[1:-1]), "auxiliary"]


def sides_of(need: Any) -> list[str]:
    """Side of each winding, the auxiliary one by itself."""
    return [*("primary" if inside else "secondary" for inside in primary_side(need)[:-1]), "aux"]


def lay_out(plan: Any, row: Any) -> Layout:
    """Every turn of a plan's transformer (need, choice, window) on the core of a catalogue row."""
    core, candidate = plan.choice.core, plan.choice.candidate
    win, trial, need = plan.window, plan.choice.trial, plan.need
    radial, along = across(row), 2 * row["d_m"]
    wall, flange = row["bobbin_wall_m"], row["bobbin_flange_m"]
    made = Layout(radial, along, [(0.0, 0.0, radial, flange), (0.0, along - flange, radial, flange), (0.0, 0.0, wall, along)], [], [], [],
                  [], [], legs_called(row))
    if need.wall is not None:
        return _beside(made, plan, flange, wall)
    if need.board is not None:
        return _on_board(made, plan)
    x, width = wall, float(win.width[core])
    names, sides = names_of(need), sides_of(need)
    laid = [x_.at((core, candidate)) for x_ in trial.laid]
    turns = [int(t[core, candidate]) for t in wound(need, trial.turns)]
    for block, count in zip(need.stack, counts(need.stack, turns), strict=True):
        k = block.winding
        if block.below:
            made.tapes.append((x, flange, block.below, width))
            x += block.below
        begun = x
        if block.shield:
            made.foils.append((x, flange + need.margin, SHIELD_FOIL, width - 2 * need.margin))
            x += SHIELD_FOIL
        else:
            x = _layers(made, x, count, laid[k], k, sides[k], flange, width, need.margin, REACH * radial)
        made.bands.append(
            Band(begun, x, "e" if block.shield else word(need.windings[k].name), count, _tip(block, names, turns, count, laid)))
    made.tapes.append((x, flange, need.tapes.wall, width))
    return made


def _beside(made: Layout, plan: Any, flange: float, wall: float) -> Layout:
    """Windings in chambers: column by column along the post, each from the bobbin's floor outwards; the wall between them is bobbin."""
    core, candidate = plan.choice.core, plan.choice.candidate
    need, trial, room = plan.need, plan.choice.trial, float(plan.window.height[core])
    laid, sides = [x.at((core, candidate)) for x in trial.laid], sides_of(need)
    turns = [int(t[core, candidate]) for t in wound(need, trial.turns)]
    y, columns = flange, Layout(0.0, 0.0, [], [], [], [], [], [], made.legs)
    for k, (block, count) in enumerate(zip(need.stack, counts(need.stack, turns), strict=True)):
        if k == need.gap_under:
            made.bobbin.append((wall, y, room, block.below))
        y += block.below
        y = _layers(columns, y, count, laid[block.winding], block.winding, sides[block.winding], wall, room, 0.0, REACH * made.along)
    made.wires.extend(replace(w, x=w.y, y=w.x) for w in columns.wires)
    return made


def _on_board(made: Layout, plan: Any) -> Layout:
    """Tracks of a board, layer by layer along the post, those of a layer side by side from the post to the outer leg; the laminate between
    the first and the last."""
    at = (plan.choice.core, plan.choice.candidate)
    need, trial, sides = plan.need, plan.choice.trial, sides_of(plan.need)
    tracks, thick = tracks_of(need, trial, at, plan.window), need.board.copper
    parallel = [int(x.at(at).strands) for x in trial.laid]
    for t in tracks:
        made.wires.append(
            Wire(0.5 * (t.begin + t.end), t.y, 0.5 * thick, sides[t.winding], t.winding, 1, thick, 1 / parallel[t.winding], t.end - t.begin,
                 True))
    low, high = min(t.y for t in tracks) - 0.5 * thick - SKIN, max(t.y for t in tracks) + 0.5 * thick + SKIN
    made.tapes.append((0.5 * need.board.edge, low, float(need.room(plan.window).width[at[0]]) + need.board.edge, high - low))
    return made


def _tip(block: Any, names: list[str], turns: list[int], count: int, laid: Any) -> str:
    """What there is to say of one block: turns, layers, and whether its last layer is full."""
    if block.shield:
        return f"shield: one open turn of {show(SHIELD_FOIL, 'm')} copper foil, from a pin of its own to a pole of the bus"
    if laid[block.winding].foil:
        return (f"{names[block.winding]}: {count} of {turns[block.winding]} turns of foil {show(float(laid[block.winding].diameter), 'm')} "
                "thick, a tape between turns")
    per_layer = max(int(laid[block.winding].per_layer), 1)
    layers = -(-count // per_layer)
    last = count - (layers - 1) * per_layer
    full = ("" if last == per_layer else f"; the last layer holds {last}: spread it over the width" if layers > 1
            else f"; {last} turns lie in one layer: spread them over the width")
    return (f"{names[block.winding]}: {count} of {turns[block.winding]} turns, {layers} layer{'s' if layers > 1 else ''} of at most "
            f"{per_layer}{full}")


def _layers(made: Layout, x: float, count: int, laid: Any, winding: int, side: str, flange: float, width: float, margin: float,
            reach: float) -> float:
    """Lay layer by layer, each spread over the whole width, as far as anybody looks [m]; returns the radial position after all of them."""
    per_layer = max(int(laid.per_layer), 1)
    high, tape = float(laid.tall) * BULGE, float(laid.tape)
    layers = -(-count // per_layer)
    end = x + layers * high + max(layers - 1, 0) * tape
    while count > 0 and x <= reach:
        here = min(count, per_layer)
        beside = int(laid.beside)
        pitch = (width - 2 * margin) / (here * beside)
        for i in range(0 if laid.foil else here * beside):
            made.wires.append(
                Wire(x + laid.tall / 2, flange + margin + (i + 0.5) * pitch, laid.tall / 2, side, winding, int(laid.strands) // beside,
                     float(laid.diameter), 1 / beside))
        if laid.foil:
            made.wires.append(
                Wire(x + laid.tall / 2, flange + margin + (width - 2 * margin) / 2, laid.tall / 2, side, winding, 1, float(laid.diameter),
                     1.0, float(laid.copper / laid.diameter)))
        if margin:
            made.margins.extend([(x, flange, laid.tall, margin), (x, flange + width - margin, laid.tall, margin)])
        count -= here
        x += high + tape
    return end
