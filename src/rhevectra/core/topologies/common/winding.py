"""Winding the transformer: core, turns, leakage and safety spacing, chosen and recorded."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import pick
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.formulas import insulation, magnetics, noise
from rhevectra.core.magnetics import arrangement, candidate, compare, fringing, wire
from rhevectra.core.magnetics import transformer as tr
from rhevectra.core.magnetics.arrangement import Block
from rhevectra.core.magnetics.leakage import Leakage
from rhevectra.core.magnetics.turns_tried import worth_trying
from rhevectra.core.magnetics.winding import LITZ_MM, SIZES_MM
from rhevectra.core.magnetics.windows import USUAL, Tapes, Windows, windows
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import barrier, pins

LEAK_LEAST = 0.01
"""Least leakage of wire in a core with a gap, share of its inductance."""
LEAD_OUT = 1.25
"""Geometric leakage is raised by this share for lead-outs and end effects (common practice, no source)."""


def wires(parts: Catalogue) -> dict[str, tuple[Any, Any]]:
    """Wire sizes offered: strand and overall diameters [m], enamelled, strands of litz and triple-insulated."""
    rows, own = parts["wires"].rows, parts.own.get("wires", ())
    enamelled = [r for r in rows if r["kind"] == "enamel"]

    def of(sizes: Sequence[float]) -> list[Mapping[str, Any]]:
        return [r for r in enamelled if any(abs(r["diameter_m"] * 1e3 - s) < 1e-6 for s in sizes)]
    kinds = {"enamel": of(SIZES_MM) + [r for r in enamelled if r["name"] in own], "litz": of(LITZ_MM),
             "triple": [r for r in rows if r["kind"] == "triple"]}
    return {kind: (np.array([r["diameter_m"] for r in found]), np.array([r["overall_m"] for r in found])) for kind, found in kinds.items()}


LOOSER = 2.0
"""How much more of an output's tolerance whole turns may take where no core passes otherwise; what is then left of it the figures of the
outputs tell."""


def search_core(work: Work, need: tr.TransformerNeed, every: Windows) -> tuple[tr.Choice, Windows]:
    """Try the catalogue; the choice counts in the windows that come with it. Where no core passes with turns that suit every output, with
    turns that suit them less."""
    choice, win = _search(work, need, every)
    if choice.passed or len(need.windings) == 3 or len(work.need.outputs) == 1:
        return choice, win
    loose = replace(need, windings=(*need.windings[:2], *(replace(w, tolerance=LOOSER * w.tolerance) for w in need.windings[2:])))
    again = _search(work, loose, every)
    return again if again[0].passed else (choice, win)


def _search(work: Work, need: tr.TransformerNeed, every: Windows) -> tuple[tr.Choice, Windows]:
    """Cores whose area times window is near what is needed are tried first; the whole catalogue where none of them passes."""
    pinned = work.choose.pins.get("transformer.core")
    if need.board is not None and pinned is not None and not every.bare[every.names.index(pinned)]:
        pinned = None  # told by `on_board`
    every = _offered(need, every, pinned)
    near, sizes = worth_trying(need, every, pinned), wires(work.parts)
    handed = (np.inf if "transformer.arrangement" in work.choose.pins
              else work.need.power / need.pieces)  # who chose an arrangement sees what it leaks on the same core
    win, choice = every, None
    if 0 < len(near) < len(every.names):
        win = every.only(near)
        choice = tr.choose(tr.try_all(need, win, sizes), win, pinned, handed, need.usual)
    if choice is None or not (choice.passed or pinned):
        win = every
        choice = tr.choose(tr.try_all(need, win, sizes), win, pinned, handed, need.usual)
    return choice, win


def _offered(need: tr.TransformerNeed, every: Windows, pinned: str | None) -> Windows:
    """What the search may take, and what is pinned."""
    return every.only(np.flatnonzero(every.bare)) if need.board is not None else every.offered(pinned, need.height_max)


def choose_core(work: Work, need: tr.TransformerNeed, every: Windows) -> tuple[tr.Choice, Windows]:
    """Try the catalogue and record the core; the choice counts in the windows that come with it."""
    choice, win = search_core(work, need, every)
    record_core(work, need, choice, win, every)
    return choice, win


def record_core(work: Work, need: tr.TransformerNeed, choice: tr.Choice, win: Windows, every: Windows) -> None:
    """The core that was found as a decision."""
    many = len(_offered(need, every, work.choose.pins.get("transformer.core")).names)
    work.choose("transformer.core", win.names[choice.core],
                f"chosen from {many}: smallest volume that meets flux at the current limit, fit, gap and "
                f"temperature{f', and {choice.than} far less than a smaller one that would pass' if choice.than else ''}" if choice.passed
                else f"none of {many} passes; the one that comes nearest", choice.refused)
    if need.board is None and every.bare[every.names.index(win.names[choice.core])]:
        work.find(LOOK_AT, "transformer", f"{win.names[choice.core]} has no bobbin: wire would lie on the bare post without what insulates "
                  "it; such cores take boards", "transformer.core", "transformer.core")
    if work.parts["cores"].row(win.names[choice.core])["family"] == "U":
        work.find(NOTE, "transformer", f"{win.names[choice.core]}: all windings on one leg, most of every turn outside the window; it "
                  "leaks there as inside, by this estimate, and its field is not enclosed: measure the leakage of a made piece, keep small "
                  "signals away", "transformer.leakage_geometric", "transformer.core")
    pins.record(work, need, [int(t[choice.core, choice.candidate]) for t in tr.wound(need, choice.trial.turns)],
                work.parts["cores"].row(win.names[choice.core]))


ROUNDS = 5
"""Searches at most, each with less rise allowed than the one before; the last is taken as it is."""


def choose_closely(work: Work, need: tr.TransformerNeed, every: Windows,
                   seat: Callable[[tr.TransformerNeed, tr.Choice, Windows],
                                  tuple[tr.TransformerNeed, tr.Choice]] = lambda need, choice, _: (need,
                                      choice)) -> tuple[tr.TransformerNeed, tr.Choice, Windows]:
    """The same where the search takes the copper to lose less than it does: tried again with less rise allowed, as long as the chosen
    copper, looked at closely, exceeds it; with the need as it was asked.

    seat: need and choice as they are made in the end.
    """
    allowed = need.rise_max
    for k in range(ROUNDS):
        choice, win = search_core(work, need, every)
        if k == ROUNDS - 1:
            break
        at = (choice.core, choice.candidate)
        own, last = seat(need, choice, win)
        taken = float(choice.trial.rise[at])
        copper, _near = candidate.exact_copper(own, last.trial, at, win, need.ambient + taken)
        rise = float(magnetics.thermal_resistance(tr.HEAT_TRANSFER[need.cooling], float(win.surface[choice.core]))) * (
            float(choice.trial.p_core[at]) + sum(copper))
        if rise <= tr.RISE_AIM * allowed or not choice.passed:
            break
        need = replace(need, rise_max=need.rise_max * min(taken / rise, 0.95))
    record_core(work, need, choice, win, every)
    return replace(need, rise_max=allowed), choice, win


def pins_of(work: Work) -> dict[str, Any]:
    """What a person has pinned of turns and wires, by the names of the windings."""
    return {k.removeprefix("transformer."): v for k, v in work.choose.pins.items()
            if k.startswith(("transformer.np", "transformer.ns", "transformer.naux", "transformer.wire_"))}


def _written(need: tr.TransformerNeed, one: Any) -> str:
    """The wire of a laid winding as a decision writes it: tracks on a board, foil, or round wire."""
    if need.board is not None:
        return wire.write_tracks(int(one.per_layer), int(one.strands))
    return wire.write_foil(float(one.diameter)) if one.foil else wire.write(int(one.strands), float(one.diameter), bool(one.beside > 1))


def turns_of(work: Work, need: tr.TransformerNeed, choice: tr.Choice) -> list[Any]:
    """Turns rows, in the order of the windings: primary, secondaries, auxiliary. The wires are recorded beside them."""
    at = (choice.core, choice.candidate)
    for w, laid in zip(need.windings, choice.trial.laid, strict=True):
        id, one = f"transformer.{tr.wire_key(w.name)}", laid.at(at)
        if id in work.choose.specs and id not in work.sheet.rows:
            work.choose(id, _written(need, one), "least copper loss that fits its share of the window, loose rows and leakage weighed")
        if one.foil and w.triple:
            work.find(MUST_FIX, "transformer", f"{wire.write_foil(float(one.diameter))}: a foil carries no insulation of its own, and "
                      "without margins nothing keeps it from the other side", id, "insulation.school")
    values = [int(t[choice.core, choice.candidate]) for t in choice.trial.turns]
    names = ["np", *(w.name for w in need.windings[1:])]
    loss = "least loss of the candidates that meet flux, fit and output ratios"
    return [work.choose(f"transformer.{n}", v, loss) for n, v in zip(names, values, strict=True)
            if f"transformer.{n}" in work.choose.specs]  # the second half of a centre tap follows the first


GAP_HEAT = 0.2
"""Share of the copper loss from which the field of the gap is told."""


def copper_of(work: Work, need: tr.TransformerNeed, choice: tr.Choice, win: Windows) -> list[float]:
    """Copper loss of each winding [W] of the chosen candidate (of one piece where there are several); what the gap's field burns of it is a
    row of its own."""
    trial, at = choice.trial, (choice.core, choice.candidate)
    hot = float(work.need.ambient_max + trial.rise[at])
    exact, near = candidate.exact_copper(need, trial, at, win, hot)
    if need.lp is None or need.wall is not None or need.board is not None:  # there the gap is part of the whole
        return exact
    heat, of = need.pieces * sum(near), need.pieces * sum(exact)
    work.sheet.solved("transformer.loss_fringing", heat, "W",
                      "every strand a cylinder in the extra field of the gap, all harmonics, by the currents the core was chosen with")
    first, k = float(win.wall[choice.core]), choice.core
    if heat > GAP_HEAT * of:
        away = fringing.half_way(float(trial.gap[at]), float(win.window[k]), float(win.across[k]), first)
        work.find(NOTE, "transformer", f"the field of the gap burns {show(heat, 'W', 2)} of {show(of, 'W', 2)} in the copper: windings "
                  f"{show(away, 'm', 2)} from the post instead of {show(first, 'm', 2)} would halve it; thinner strands, a lower frequency "
                  "or a spacer under all legs help too", "transformer.loss_fringing")
    return exact


def leak_least(work: Work, lp: float) -> float:
    """Leakage of the stack [H] below which nothing is gained: with its lead-outs it is counted as a share of the inductance [H] at
    least."""
    return float(work.choose.pins.get("transformer.leakage_share", BOARD_LEAST if boarded(work) else LEAK_LEAST)) * lp / LEAD_OUT


def leak_cost(i_peak: float, rate: float, share: float) -> float:
    """What a henry of leakage costs [W/H] when wire and turns are weighed: energy at the peak current, pulse by pulse.

    share: 1 where a clamp burns it, which at about twice the reflected voltage takes as much again from the output; less where it is handed
    back or costs duty only.
    """
    return share * i_peak**2 * rate


def stack(work: Work, windings: Sequence[tr.WindingNeed], tapes: Tapes,
          why: str = "split primary: a quarter of the leakage") -> tuple[Block, ...]:
    """The blocks of the arrangement that was chosen; one that does not suit these windings gives way to the split primary, and is told."""
    names = [w.name for w in windings]
    row = work.choose("transformer.arrangement", "split", why)
    try:
        return arrangement.blocks(row.value, names, tapes)
    except InputError as wrong:
        work.find(MUST_FIX, "transformer", f"arrangement {wrong.wrong}; sized with a split primary instead", "transformer.leakage",
                  f"transformer.arrangement: {wrong.accepted}")
        return arrangement.blocks("split", names, tapes)


def leakage_row(work: Work, need: tr.TransformerNeed, matrix: Leakage, lp: float, least: float = LEAK_LEAST,
                why: str = "when unknown overestimate: 1 % is seen on professionally wound parts (common practice)") -> Any:
    """Leakage seen from the primary by the outputs that conduct: geometric estimate of the stack (matrix) with lead-outs, never below the
    stated share; a reading wins."""
    outputs = tr.outputs_of(need)
    seen = need.pieces * candidate.working_leakage(need, matrix)
    one = "" if len(outputs) == 1 else "; seen by one output alone: " + ", ".join(
        f"{arrangement.word(need.windings[k].name)} {show(need.pieces * matrix.pair(0, k), 'H')}" for k in outputs)
    who = "halves of the tap in turn" if len(tr.conducting(need)) > 1 else "outputs shorted"
    geometric = work.sheet.solved("transformer.leakage_geometric", seen, "H",
                                  f"field energy of the stack {work.sheet.rows['transformer.arrangement'].value}, one dimension, heights "
                                  f"as laid, {who}{one}{f'; all {need.pieces} in series' if need.pieces > 1 else ''}")
    if need.board is not None and least > BOARD_LEAST:
        least, why = BOARD_LEAST, "a board repeats its geometry; what it cannot fall below are its ends and holes (common practice)"
    share = work.choose("transformer.leakage_share", least, why)
    return work.sheet("transformer.leakage", magnetics.leakage_best, geometric=geometric, lead_out=LEAD_OUT, share=share,
                      lp=work.sheet.given("transformer.lp_plan", lp, "H", "solved", "primary inductance"))


BOARD_LEAST = 0.002
"""Least leakage of a board, share of its inductance."""
LAID_MUCH = 2.0
"""Capacitance as laid, over the assumed one, from which it is told."""


def capacitance_row(work: Work, need: tr.TransformerNeed, choice: tr.Choice, win: Windows) -> None:
    """Capacitance across the primary as laid, beside the value that was assumed before there was a transformer; of several in series it is
    less."""
    if need.halves != 1 or need.pieces != 1 or "transformer.c_winding" not in work.sheet.rows:
        return
    at, sheet = (choice.core, choice.candidate), work.sheet
    counts = [int(pick(s.layers, at)) for s in choice.trial.sections if s.winding == 0]
    faces = {**compare.facing(need, choice.trial, at, win), "faces": 1, "distance": compare.dielectric(need, False, False)[2]}
    if not faces["turn"]:
        faces["turn"] = float(win.turn_length(0.5 * win.height)[choice.core])
    layer = sheet("transformer.c_layer", noise.interwinding, **faces)
    laid = sheet("transformer.c_laid", magnetics.layered_capacitance, pairs=float(sum(n - 1 for n in counts)), layer=layer,
                 layers=float(sum(counts)))
    assumed = work.sheet.rows["transformer.c_winding"]
    if assumed.origin == "rule" and float(laid.value) > LAID_MUCH * float(assumed.value):
        work.find(NOTE, "transformer", f"the primary as laid has about {show(float(laid.value), 'F', 2)} across it, "
                  f"{show(float(assumed.value), 'F')} were assumed", "transformer.c_laid", "transformer.c_winding")


WIRE, BOARD = "wire", "board"


def boarded(work: Work) -> bool:
    """Whether the windings are tracks; a pinned core without a bobbin asks for them."""
    pinned, every = work.choose.pins.get("transformer.core"), work.parts["cores"].derived(windows)
    bare = pinned is not None and bool(every.bare[every.names.index(pinned)])
    return bool(work.choose("transformer.construction", BOARD if bare else WIRE,
                            "the core that is pinned has no bobbin" if bare
                            else "wire on a bobbin: any turns, cheapest (common practice)").value == BOARD)


def spacing(work: Work, across: barrier.Across) -> tuple[bool, float, Tapes]:
    """Whether the secondaries are triple-insulated, the width of the margins [m], from the tables of the insulation standard, and the tape.
    In a board its laminate keeps the sides apart. across: what stands across it."""
    need, choose = work.need, work.choose
    reinforced, working = need.insulation == "reinforced", float(barrier.record(work, across).value)
    line = need.mains.v_max if not need.is_dc else need.mains.v_max / np.sqrt(2)
    cr = work.sheet.given("insulation.creepage",
                          0.0 if need.insulation == "functional"
                          else insulation.creepage(max(working, 50.0), need.pollution_degree, reinforced), "m", "standard",
                          f"{show(working, 'V')} working, pollution degree {need.pollution_degree}, {need.insulation}; "
                          f"{insulation.EDITION}")
    cl = work.sheet.given("insulation.clearance",
                          0.0 if need.insulation == "functional"
                          else insulation.clearance(insulation.impulse(line, need.overvoltage_category), need.altitude_max, reinforced),
                          "m", "standard",
                          f"overvoltage category {need.overvoltage_category}, {need.altitude_max:g} m; {insulation.EDITION}")
    width = work.sheet("insulation.margin", insulation.margin_width, creepage_m=cr, clearance_m=cl)
    if boarded(work):
        return False, 0.0, USUAL
    high = across.bus > barrier.TRIPLE_BUS
    school = choose("insulation.school", lambda: "triple" if reinforced and not high else "margin",
                    "basic insulation: margins" if not reinforced
                    else f"a bus of {show(across.bus, 'V')}, and what swings above it, ask more of triple-insulated wire than the "
                         f"{show(barrier.TRIPLE, 'V')} peak it is usually made for (from memory): margins" if high
                    else "triple-insulated secondary needs no margins")
    triple = school.value == "triple" and need.insulation != "functional"
    strip = choose("transformer.margin", lambda: 0.0 if triple else insulation.cut(float(width.value)),
                   "none: the secondaries are triple-insulated" if triple
                   else "what creepage and clearance ask of each side, up to the next tenth of a millimetre")
    if not triple and float(strip.value) < float(width.value) - 1e-6:
        work.find(MUST_FIX, "transformer", f"margins of {show(float(strip.value), 'm')} where creepage and clearance ask for "
                  f"{show(float(width.value), 'm')} on each side", "insulation.margin", "transformer.margin")
    return triple, float(strip.value), _tapes(work, triple)


def _tapes(work: Work, triple: bool) -> Tapes:
    """The tape between layers and windings; too few at the barrier are told where they are what insulates."""
    thickness = work.choose("transformer.tape", USUAL.thickness, "polyester with its adhesive (common practice)")
    count = work.choose("transformer.barrier_tapes", USUAL.barrier, "any two of three stand the test voltage (common practice)")
    least = {"reinforced": USUAL.barrier, "basic": 2}.get(work.need.insulation, 1)
    if not triple and int(count.value) < least:
        work.find(MUST_FIX, "transformer", f"tapes at the barrier: {int(count.value)}, and nothing else insulates mains from output; "
                  f"{work.need.insulation} insulation takes {least} (common practice; the standard in force decides)",
                  "insulation.clearance", "transformer.barrier_tapes")
    return Tapes(float(thickness.value), int(count.value))
