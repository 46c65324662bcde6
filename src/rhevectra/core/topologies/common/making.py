"""The winding sheet: what a maker without this program needs to wind the transformer, step by step, with its own check."""

from collections.abc import Iterator
from itertools import pairwise
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import FULL
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas.copper import resistivity
from rhevectra.core.formulas.insulation import strip
from rhevectra.core.formulas.resonant import shorted_reading
from rhevectra.core.magnetics.arrangement import SHIELD_FOIL, called, counts, shares
from rhevectra.core.magnetics.candidate import leakage_of, working_leakage
from rhevectra.core.magnetics.transformer import conducting, counting, outputs_of, primary_side, wound
from rhevectra.core.magnetics.winding import sheathed, strands_of
from rhevectra.core.magnetics.windows import legs_called
from rhevectra.core.topologies.common.pins import pins_of, shield_pin, told
from rhevectra.core.topologies.common.winding import LEAD_OUT

COPPER_DENSITY = 8960.0
PAIRS_MOST = 3
"""More outputs than this would not leave the inspection on its page; the matrix stays in the working of the leakage."""
LEAD_OUTS = 2
"""Lead-outs of a winding, each taken as long as the window is wide plus half a turn."""
RESISTANCE_BAND, RATIO_BAND = 0.15, 0.005
"""What a winding's resistance and a turns ratio may differ by at inspection (common practice, no source)."""
TEST_VOLTS = {"functional": 500.0, "basic": 1500.0, "reinforced": 3000.0}
"""Withstand test between primary and secondary side [V rms, 50 Hz, one minute] (from memory of the insulation standards; confirm against
the one in force)."""
LEADS_USUAL = ("connections: A1 to the side of the bridge or of the bus that is high in the first pulse; B1 to the rectifier that conducts "
               "then; a tap of row B to the output's other side")
TURNED, SAME, OPEN, SOLDERED = "across", "back", "open", "leads"
"""Where the end of a step comes out: at the other side of the bobbin (an odd number of layers), at the side it began (even); a shield has
no second end, a foil has leads soldered to it."""
SHIELD_NAME = "shield"
SPREAD = 0.8
"""Share of a full layer below which the turns of one are to be spread: coupling and the supply it gives are worked out for the whole
width."""


class Step(Struct, frozen=True):
    """One winding step, from the post outwards: winding, pins it runs from and to, turns, wire, layers, where its end comes out, margins
    [m], tapes on top, remark."""

    number: int
    winding: str
    start: str
    finish: str
    turns: int
    wire: str
    layers: int
    per_layer: int
    comes_out: str
    margin: float
    tapes: int
    remark: str


class Part(Struct, frozen=True):
    """One winding as a whole: turns, the pins at its ends, at its tap and where its parts are joined, wire length [m], mass [kg],
    resistance at 20 °C [Ω], rms current [A], density of it and of the dc current [A/m²]."""

    winding: str
    turns: int
    start: str
    joints: tuple[str, ...]
    finish: str
    wire: str
    length: float
    mass: float
    resistance: float
    i_rms: float
    density: float
    density_dc: float
    tap: str = ""


class WindingSheet(Struct, frozen=True):
    """Core and gap, steps, windings, what is inspected (name, how, limits), what a maker has to know and, of several alike, how many are
    wanted."""

    core: str
    material: str
    gap: str
    inductance: str
    steps: tuple[Step, ...]
    parts: tuple[Part, ...]
    checks: tuple[tuple[str, str, str], ...]
    notes: tuple[str, ...]
    wanted: str = ""


def _wire(laid: Any, triple: bool) -> str:
    if laid.dielectric > 0:
        return strands_of(laid)
    if laid.foil:
        return f"copper {strands_of(laid)}, edges deburred, a tape between turns"
    if sheathed(laid):
        return strands_of(laid) + f" of enamelled strands, triple-insulated over all of them to {laid.tall * 1e3:.3g} mm"
    return strands_of(laid) + f", overall {laid.overall * 1e3:.3g} mm" + (", triple-insulated" if triple else ", enamelled")


def _steps(design: Any) -> Iterator[Step]:
    """Every section of the stack as it is wound."""
    plan = design.context["plan"]
    need, trial, at = plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate)
    names, turns = called(need), [int(t[at]) for t in wound(need, trial.turns)]
    pins, inside = pins_of(need, turns), primary_side(need)
    done, begun_parts = [0] * len(turns), [0] * len(turns)
    sides = [True if b.shield else inside[b.winding] for b in need.stack]
    for n, (block, count) in enumerate(zip(need.stack, counts(need.stack, turns), strict=True)):
        k = block.winding
        tapes = need.tapes.barrier if n + 1 == len(sides) or sides[n + 1] != sides[n] else 1
        if block.shield:
            yield Step(n + 1, SHIELD_NAME, shield_pin(pins), "", 1, f"copper foil, {SHIELD_FOIL * 1e6:.0f} µm, as wide as the winding", 1,
                       1, OPEN, float(need.margin), tapes, "one turn whose ends overlap under tape and do not touch")
            continue
        laid, begun = trial.laid[k].at(at), done[k]
        done[k] += count
        parts, remark = len(shares(need.stack, k)), ""
        begun_parts[k] += 1
        if n + 1 == need.gap_under:
            remark = f"then the wall of {need.wall * 1e3:.2f} mm"
        if parts > 1:
            remark = f"part {begun_parts[k]} of {parts}: {count} of {turns[k]} turns" + (
                f", goes on from {pins[k][begun]}" if begun else "")
        half = ("the last turn passes through one window only and leaves the core there: half a turn"
                if need.less(k) and done[k] == turns[k] else "")
        per_layer = max(int(laid.per_layer), 1)
        spread = "spread evenly over the width" if 1 < count < SPREAD * per_layer and need.board is None else ""
        remark = "; ".join(
            x for x in (remark, *(f"tap at {p} after {m - begun} turns" for m, p in pins[k].items() if begun < m < done[k]), spread, half)
            if x)
        layers = int(np.ceil(count / per_layer))
        yield Step(n + 1, names[k], pins[k][begun], pins[k][done[k]], count, _wire(laid, need.windings[k].triple), layers,
                   min(per_layer, max(count, 1)), SOLDERED if laid.foil and need.board is None else TURNED if layers % 2 else SAME,
                   float(need.margin), tapes, remark)


def _parts(design: Any) -> Iterator[Part]:
    plan = design.context["plan"]
    need, trial, win, at = plan.need, plan.choice.trial, plan.window, (plan.choice.core, plan.choice.candidate)
    names, turns = called(need), [int(t[at]) for t in wound(need, trial.turns)]
    pins = pins_of(need, turns)
    for k, w in enumerate(need.windings):
        laid = trial.laid[k].at(at)
        own = [s for s in trial.sections if s.winding == k]
        depth = lambda s: float(np.broadcast_to(s.depth, trial.fill.shape)[at])  # noqa: E731
        each = sum(s.share * float(need.room(win).turn_length(depth(s))[at[0]]) for s in own)
        length = turns[k] * each + (LEAD_OUTS * (float(win.width[at[0]]) + 0.5 * each) if need.board is None else 0.0)
        start, *between, finish = pins[k].values()
        tap = pins[k].get(turns[k] // 2, "") if k == 0 and need.halves == 2 else ""
        yield Part(names[k], turns[k], start, tuple(x for x in between if x != tap), finish, _wire(laid, w.triple), length,
                   length * laid.copper * COPPER_DENSITY, float(resistivity(20.0)) * length / laid.copper, rms := _rms(design, k),
                   rms / float(laid.copper), float(abs(w.i_avg) / laid.copper) if abs(w.i_avg) > 1e-6 * w.i_rms else 0.0, tap)


def _rms(design: Any, k: int) -> float:
    """Rms current of a winding at full load [A]: where several outputs share one, what it really takes; else what it was chosen for."""
    solved = design.rows.get(f"secondary{k}.i_rms")
    if solved is None:
        return float(design.context["plan"].need.windings[k].i_rms)
    return float(np.where(FULL.mask(design.grid), np.broadcast_to(solved.value, design.grid.shape), 0.0).max())


def ordered(design: Any) -> tuple[float, float] | None:
    """Inductance of the primary of one transformer as it is ordered [H] and its tolerance; None of a core without a gap, which is only
    bounded below."""
    rows, pieces = design.rows, design.context["plan"].need.pieces
    if "transformer.lp_tolerance" not in rows:
        return None
    inductance = float(np.max(rows["transformer.lp"].value)) if "transformer.lp" in rows else float(np.max(rows["llc.lm"].value)) / pieces
    return inductance, float(rows["transformer.lp_tolerance"].value)


def inductance_band(design: Any) -> tuple[float, float]:
    """Least and greatest inductance of the primary of one transformer as it is ordered [H]; no greatest (inf) of a core without a gap."""
    wanted = ordered(design)
    if wanted is not None:
        lp, tol = wanted
        return lp * (1 - tol), lp * (1 + tol)
    return 0.75 * float(np.max(design.rows["transformer.lm"].value)) / design.context["plan"].need.pieces, np.inf


def _inductance(design: Any) -> str:
    """The same in words."""
    wanted = ordered(design)
    return (f"at least {show(inductance_band(design)[0], 'H')} (faces clean, no gap)" if wanted is None
            else f"{show(wanted[0], 'H')} ± {wanted[1] * 100:.0f} %")


def leakage_band(design: Any) -> tuple[float | None, float]:
    """Between what the leakage of one transformer may read with every output shorted [H]; no least where the less the better."""
    leakage = _reading(design)
    if design.context["plan"].need.wall is None:
        return None, leakage
    made = float(design.rows["llc.lr_tolerance"].value)
    return (1 - made) * leakage, (1 + made) * leakage


def _resonant(design: Any, leakage: float) -> str:
    """Between what a leakage [H] that is the resonant inductance may read."""
    made = float(design.rows["llc.lr_tolerance"].value)
    return f"{show((1 - made) * leakage, 'H', 3)} to {show((1 + made) * leakage, 'H', 3)}"


def _pairs(design: Any, parts: tuple[Part, ...]) -> Iterator[tuple[str, str, str]]:
    """Leakage towards each output alone, where there are several: what one output that conducts by itself sees is not what all shorted
    read."""
    plan = design.context["plan"]
    need, at = plan.need, (plan.choice.core, plan.choice.candidate)
    outputs = outputs_of(need)
    if not 2 <= len(outputs) <= PAIRS_MOST:
        return
    matrix, primary = leakage_of(need, plan.choice.trial, at, plan.window), parts[0]
    for k in outputs:
        called = f"leakage, {parts[k].winding}"
        how = f"{primary.start} to {primary.finish}, {parts[k].start} to {parts[k].finish} shorted alone, 100 kHz"
        if need.wall is not None:
            yield called, how, f"{_resonant(design, float(shorted_reading(matrix.pair(0, k), need.lp)))}: it is the resonant inductance"
            continue
        seen = matrix.pair(0, k)
        yield called, how, f"about {show(seen, 'H', 3)}, at most {show(LEAD_OUT * seen, 'H', 3)}"


def all_shorted(plan: Any) -> float:
    """Leakage that reads with every output shorted, over that of what conducts: below one where the halves of a tap take turns."""
    if len(conducting(plan.need)) == 1:
        return 1.0
    matrix = leakage_of(plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.window)
    return float(matrix.shorted(0, outputs_of(plan.need))[0] / working_leakage(plan.need, matrix))


def _reading(design: Any) -> float:
    """Leakage [H] of one transformer as it is measured, all outputs shorted: less than what works where the halves of a tap take turns."""
    plan, sized = design.context["plan"], float(np.max(design.rows["transformer.leakage"].value))
    return sized * all_shorted(plan) / plan.need.pieces


def _board_notes() -> list[str]:
    """What is to be known of a board beside its layers."""
    return ["layers, tracks and laminate: page of the board; the end of a winding lies inside the spiral after an odd number of layers and "
            "outside after an even one",
            "every spiral turns the same way round the post; a start carries the dot",
            "the core is clamped or glued with the board free of pressure; the faces stay free of glue but where the maker's practice asks "
            "for it"]


def _wire_notes(need: Any, steps: tuple[Step, ...], margin: float) -> list[str]:
    """What a winder has to know of wire on a bobbin."""
    return ["every step is wound in the same direction, seen from the side of row A; a start carries the dot",
            "the end of a step with an odd number of layers comes out across the bobbin: bring it back over the winding under tape and in "
            "sleeving",
             *([f"two chambers with a wall of {need.wall * 1e3:.2f} mm between them, moulded or filled, both windings against it: its "
                "thickness sets the leakage, which is the resonant inductance; a layer here is a column from the floor of the chamber to "
                "its rim, columns side by side"] if need.wall is not None else []),
             f"tapes of {need.tapes.thickness * 1e6:.0f} µm polyester, the whole width, {need.tapes.barrier} between the mains side and "
             "the outputs and outside; one between windings of the same side and between layers of enamelled wire",
             *([f"shields go to pin {next(s.start for s in steps if s.winding == SHIELD_NAME)} with one end, and from there to a pole of "
                "the bus, never to a switch; the other end stays open"] if any(s.winding == SHIELD_NAME for s in steps) else []),
             *(["foil: leads soldered across its whole width, both brought out under tape; burrs off, edges half a millimetre inside the "
                "margins; the inner lead crosses the turns under two tapes"] if any(s.comes_out == SOLDERED for s in steps) else []),
             f"margins of {strip(margin)} at both sides of every layer" if margin
             else "no margins: the wall and its rim keep the sides apart; creepage over the rim as the standard in force asks"
             if need.wall is not None and not any(w.triple for w in need.windings)
             else "no margins: the secondaries are triple-insulated; do not damage their insulation, bring no enamelled lead across them "
             "without sleeving",
             "lead-outs that cross another winding: sleeving, or the leads of triple-insulated wire",
             "varnish after test if the core is not bonded; the faces stay free of varnish"]


def _gap_words(need: Any, gap: float, post: str) -> str:
    """How the gap is made; where a turn is unpaired, the one way that was designed."""
    ways = (f"{show(gap, 'm')} ground off the {post}", f"a spacer of {show(gap / 2, 'm')} under all legs")
    return (", or ".join(ways) if need.half is None else ways[need.half.spaced]) + "; the inductance decides"


OVERLAP = 1.1
"""Length of a tape over the turn it goes round: its ends overlap (common practice)."""


def _materials(design: Any, steps: tuple[Step, ...], parts: tuple[Part, ...]) -> str:
    """What has to be at hand for one piece."""
    plan = design.context["plan"]
    need, trial, at, win = plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.window
    turn = [float(need.room(win).turn_length(float(np.broadcast_to(s.depth, trial.fill.shape)[at]))[at[0]]) for s in trial.sections]
    tape = OVERLAP * sum(s.tapes * length for s, length in zip(steps, turn, strict=True))
    wide = float(win.width[at[0]])
    return (f"for one piece: a set {win.names[at[0]]} of {design.rows['transformer.material'].value}, its bobbin, clips or glue, "
            f"{sum(p.mass for p in parts) * 1e3:.3g} g of wire as listed, about {tape:.2g} m of "
            f"tape{f' {wide * 1e3:.3g} mm wide' if need.wall is None else ' as wide as the chambers'}"
            + (f" and margin tape of {strip(need.margin)} as high as every layer" if need.margin else "") + ", sleeving for the lead-outs")


def winding_sheet(design: Any, leads: str = LEADS_USUAL) -> WindingSheet:
    """The sheet of a design's transformer; leads: in words, where the starts are connected. Only of a topology that winds one
    (`drawing.sheet.has_sheet`)."""
    plan, rows, need = design.context["plan"], design.rows, design.requirement
    steps, parts = tuple(_steps(design)), tuple(_parts(design))
    gap = float(np.max(rows["transformer.gap"].value)) if "transformer.gap" in rows else 0.0
    text, (low, high) = _inductance(design), inductance_band(design)
    primary, leakage, seen = parts[0], _reading(design), counting(plan.need, [p.turns for p in parts])
    others = [p for p in parts[1:] if not p.winding.endswith("second half")]
    shorted = ", ".join(f"{p.start} to {next((q.finish for q in parts if q.winding == p.winding + ', second half'), p.finish)}"
                        for p in others if p.start.startswith("B"))
    checks = [("inductance", f"{primary.start} to {primary.finish}, others open, 10 kHz, 100 mV",
               f"{show(low, 'H')} to {show(high, 'H')}" if np.isfinite(high) else f"at least {show(low, 'H')}"),
              ("leakage", f"{primary.start} to {primary.finish}, {shorted} shorted, 100 kHz",
               f"at most {show(leakage, 'H')}, which the design is worked out for" if plan.need.wall is None
               else _resonant(design, leakage)),
              *_pairs(design, parts),
              *((f"turns, {p.winding}", f"ratio to {primary.start}–{primary.finish}; in phase: starts positive together",
                 f"{n / seen[0]:.4f} ± {RATIO_BAND * 100:g} %, or the nearest whole turn")
                for p, n in zip(parts[1:], seen[1:], strict=True)),
              *((f"resistance, {p.winding}", f"{p.start} to {p.finish}, 20 °C",
                 f"{show((1 - RESISTANCE_BAND) * p.resistance, 'Ω')} to {show((1 + RESISTANCE_BAND) * p.resistance, 'Ω')}") for p in parts),
              ("withstand", "all of row A with the core against all of row B, 50 Hz, one minute",
               f"{TEST_VOLTS[need.insulation]:.0f} V rms ({need.insulation} insulation; confirm against the standard in force)")]
    margin, core = float(plan.need.margin), design.catalogue["cores"].row(plan.window.names[plan.choice.core])
    post, turns = legs_called(core)[0], [p.turns for p in parts]
    notes = [leads,
             *(_board_notes() if plan.need.board is not None
               else [*_wire_notes(plan.need, steps, margin), told(plan.need, turns, int(core["bobbin_pins"])),
                     _materials(design, steps, parts)]), "a made sample is measured and tried before a series: this sheet is computed"]
    return WindingSheet(str(rows["transformer.core"].value), str(rows["transformer.material"].value),
                        _gap_words(plan.need, gap, post) if gap else "no gap: ground faces pressed together", text, steps, parts,
                        tuple(checks), tuple(notes), _wanted(design))


def _wanted(design: Any) -> str:
    """How many like transformers there are, and what they do together; nothing where there is one."""
    count = design.count("transformer")
    if count == 1:
        return ""
    return f"{count} alike" + (", from one lot: their primaries lie in series and share the voltage by their inductances"
                               if design.context["plan"].need.pieces > 1 else ", one for each phase")


def complaints(sheet: WindingSheet) -> list[str]:
    """What does not agree within the sheet: pins, turns, ends and barriers, recomputed from its steps alone."""
    found = []
    row = lambda s: "A" if s.winding.split()[0] in ("primary", "auxiliary", "reset", SHIELD_NAME) else "B"  # noqa: E731
    for s in sheet.steps:
        if s.winding == SHIELD_NAME:
            taken = {x for p in sheet.parts for x in (p.start, p.finish, p.tap, *p.joints)}
            if not s.start.startswith("A") or s.start in taken or s.finish:
                found.append(f"step {s.number}: a shield goes to a pin of its own in row A with one end and nowhere with the other")
            continue
        if {s.start[:1], s.finish[:1]} != {row(s)}:
            found.append(f"step {s.number}: {s.winding} runs {s.start} to {s.finish}, its row is {row(s)}")
        if s.comes_out != (TURNED if s.layers % 2 else SAME) and not (s.comes_out == SOLDERED and s.per_layer == 1):
            found.append(f"step {s.number}: {s.layers} layers end {TURNED if s.layers % 2 else SAME}, the sheet says {s.comes_out}")
        if not (s.layers - 1) * s.per_layer < s.turns <= s.layers * s.per_layer:
            found.append(f"step {s.number}: {s.turns} turns are not {s.layers} layers of at most {s.per_layer}")
    for a, b in pairwise(sheet.steps):
        if row(a) != row(b) and a.tapes < sheet.steps[-1].tapes:
            found.append(
                f"between steps {a.number} and {b.number}: {a.tapes} tapes at the barrier, {sheet.steps[-1].tapes} are wanted as outside")
    for p in sheet.parts:
        own = [s for s in sheet.steps if s.winding == p.winding]
        if sum(s.turns for s in own) != p.turns:
            found.append(f"{p.winding}: steps add up to {sum(s.turns for s in own)} turns, {p.turns} are wanted")
        ends = [own[0].start, *(x for a, b in pairwise(own) for x in (a.finish, b.start)), own[-1].finish] if own else []
        if ends and (ends[0] != p.start or ends[-1] != p.finish or any(ends[i] != ends[i + 1] for i in range(1, len(ends) - 1, 2))):
            found.append(f"{p.winding}: runs {' · '.join(ends)}, {p.start} to {p.finish} is wanted; a step is wound the wrong way or "
                         "joined to the wrong pin")
    return found


COLUMNS = ("step", "winding", "start", "finish", "turns", "wire", "layers", "a layer", "end", "margin", "tapes", "remark")


def as_text(sheet: WindingSheet) -> str:
    """The steps as a table of tab-separated columns under their names, for a maker's own system."""
    rows = ["\t".join(COLUMNS),
            *("\t".join((str(s.number), s.winding, s.start, s.finish, str(s.turns), s.wire, str(s.layers), str(s.per_layer), s.comes_out,
                         strip(s.margin), str(s.tapes), s.remark)) for s in sheet.steps)]
    return "\n".join(rows) + "\n"


def from_text(text: str) -> tuple[Step, ...]:
    """The steps of such a table again (ValueError where a column is missing)."""
    head, *lines = text.strip("\n").split("\n")
    if tuple(head.split("\t")) != COLUMNS:
        raise ValueError(f"columns {', '.join(COLUMNS)} are wanted")
    cells = [line.split("\t") for line in lines]
    return tuple(
        Step(int(c[0]), c[1], c[2], c[3], int(c[4]), c[5], int(c[6]), int(c[7]), c[8], round(float(c[9].removesuffix(" mm")) * 1e-3, 9),
             int(c[10]), c[11]) for c in cells)
