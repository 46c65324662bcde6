"""The school of board windings: what a board is made of, and a transformer's need turned into tracks."""

from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics import wire
from rhevectra.core.magnetics.arrangement import called
from rhevectra.core.magnetics.board import LAYERS_USUAL, Board, vias
from rhevectra.core.magnetics.candidate import exact_copper, resistance_loss
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common.winding import BOARD, WIRE, boarded, choose_closely, choose_core

BARRIER = {"functional": 0.2e-3, "basic": 0.2e-3, "reinforced": 0.4e-3}
"""Dielectric between the sides [m] by insulation (distance through solid insulation, from memory of IEC 62368-1; confirm in the edition in
force)."""
EDGE = {"functional": 0.5e-3, "basic": 0.8e-3, "reinforced": 1.0e-3}
"""From tracks to the core [m], all tracks in inner layers (common practice, no source)."""
DECISIONS = (
    DecisionSpec("transformer.construction", "Windings of the transformer", "transformer", "choice", options=(WIRE, BOARD),
                 schools="wire: any turns, cheapest; board: low, alike from piece to piece, much capacitance, few turns"),
    DecisionSpec("board.copper", "Copper of a layer", "transformer", unit="m", low=1.7e-5, high=4.2e-4, schools="35, 70, 105 or 140 µm"),
    DecisionSpec("board.dielectric", "Between layers of one side", "transformer", unit="m", low=5e-5, high=1e-3),
    DecisionSpec("board.barrier", "Between layers of both sides", "transformer", unit="m", low=5e-5, high=2e-3,
                 schools="0.4 mm through solid insulation for reinforced; more lowers the capacitance"),
    DecisionSpec("board.spacing", "Between tracks", "transformer", unit="m", low=1e-4, high=1e-3),
    DecisionSpec("board.layers_most", "Copper layers at most", "transformer", "integer", unit="layers", low=2, high=60),
    DecisionSpec("board.edge", "From tracks to the core", "transformer", unit="m", low=2e-4, high=5e-3),
)


def wind(work: Work, need: tr.TransformerNeed, every: Windows) -> tuple[tr.TransformerNeed, tr.Choice, Windows]:
    """Core, turns and wire or tracks, by what was decided of the construction; with the need that led to the choice."""
    if not boarded(work):
        return need, *choose_core(work, need, every)
    need, choice, win = choose_closely(work, on_board(work, need), every)
    record(work, need, choice, win)
    return need, choice, win


def on_board(work: Work, need: tr.TransformerNeed) -> tr.TransformerNeed:
    """The need with its windings in tracks; a pinned wire that is no track, or core that takes none, is told and left out."""
    choose, kind = work.choose, work.need.insulation
    copper = choose("board.copper", 70e-6, "two ounces: usual in power boards (common practice)")
    board = Board(float(copper.value), float(choose("board.dielectric", 0.15e-3, "usual core and prepreg (common practice)").value),
                  float(choose("board.barrier", BARRIER[kind], f"{kind} insulation through the board").value),
                  float(choose("board.spacing", max(0.2e-3, 2.5 * float(copper.value)),
                               "what etching leaves of that copper (common practice)").value),
                  float(choose("board.edge", EDGE[kind], "inner layers, cut edge to the core (common practice)").value),
                  int(choose("board.layers_most", LAYERS_USUAL,
                             "one board as makers offer it without asking (common practice); more: several boards stacked").value))
    pins = dict(need.pins or {})
    for key in [k for k in pins if k.startswith("wire_")]:
        if wire.tracks(pins[key]) is None:
            work.find(MUST_FIX, "transformer", f"{pins.pop(key)} is no track: on a board a winding is written as turns a layer, and layers "
                      "to a turn: board 4, board 1x3", "transformer.fill", f"transformer.{key}")
    core, every = choose.pins.get("transformer.core"), work.parts["cores"].derived(windows)
    if core is not None and not every.bare[every.names.index(core)]:
        work.find(MUST_FIX, "transformer", f"{core} has a bobbin and takes wire: sized on a low-profile core instead", "transformer.core",
                  "transformer.construction")
    return replace(need, board=board, margin=0.0, pins=pins, windings=tuple(replace(w, triple=False) for w in need.windings),
                   stack=board.insulated(need.stack))


CROWDED = 1.5
"""Effective over direct resistance of a winding from which it is told."""
FIGURES = (
    FigureSpec("board.layers", "Copper layers of the board", "", "transformer", corners.FULL),
    FigureSpec("board.thickness", "Thickness of the board", "", "transformer", corners.FULL),
    FigureSpec("board.vias", "Plated holes", "", "transformer", corners.FULL),
    FigureSpec("board.crowding", "Effective over direct resistance, worst winding", "F", "transformer", corners.FULL,
               fixed="at the corner the core was chosen for; terminations left out",
               sentence="currents crowd to the edges of tracks, and of layers in parallel to those that face the other winding"),
)


def record(work: Work, need: tr.TransformerNeed, choice: tr.Choice, win: Windows) -> None:
    """Layers, plated holes, thickness and crowding of the board as rows, and what a board is to be told."""
    sheet, at = work.sheet, (choice.core, choice.candidate)
    laid = [x.at(at) for x in choice.trial.laid]
    count = sum(int(x.layers) * int(x.strands) for x in laid)
    layers = sheet.solved("board.layers", count, "layers", "copper layers of all windings, layers in parallel counted each")
    sheet.solved("board.vias", sum(vias(int(x.layers), int(x.strands), float(w.i_rms)) for x, w in zip(laid, need.windings, strict=True)),
                 "holes", "plated holes of 0.5 mm from layer to layer and at the ends of what lies in parallel, by their current")
    thick = float(choice.trial.fill[at]) * float(need.room(win).height[choice.core])
    sheet.solved("board.thickness", thick, "m", "copper, dielectric and masks of the stack")
    hot = float(work.need.ambient_max + choice.trial.rise[at])
    copper, even = exact_copper(need, choice.trial, at, win, hot)[0], resistance_loss(need, choice.trial, at, hot)
    names, ratio = called(need), [p / q for p, q in zip(copper, even, strict=True)]
    worst = max(range(len(ratio) - 1), key=lambda k: copper[k] * (ratio[k] > CROWDED))
    sheet.solved("board.crowding", max(ratio[:-1]), "",
                 "copper loss with the currents as they crowd, over that of evenly spread ones, by the field of all tracks")
    if ratio[worst] > CROWDED:
        beside = f", its {int(laid[worst].strands)} layers in parallel share unevenly" if laid[worst].strands > 1 else ""
        if need.lp is None:
            mend, way = "an arrangement with more faces between the sides, or more turns to a layer, spreads them", ": interleaved"
        else:
            mend, way = "the field of the gap crosses its tracks; the picture Orders tells which order of the layers loses least", ""
        work.find(LOOK_AT, "transformer",
                  f"the {names[worst]} loses {ratio[worst]:.1f} times what evenly spread currents would{beside}: {mend}", "board.crowding",
                  f"transformer.arrangement{way}")
    work.find(NOTE, "transformer", f"board of {count} layers, {show(thick, 'm', 3)} thick: windings in inner layers, solid insulation of "
              f"{show(need.board.barrier if need.board else 0.0, 'm')} between the sides; distances along cut edges and to the core by the "
              "standard in force", layers.id, "board.barrier")
