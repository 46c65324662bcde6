"""The chokes of the mains filter as parts that can be wound: ring, turns and wire, copper within what the line was solved with, heat, field
of the leakage."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import LOOK_AT, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.catalogue.tables import Table
from rhevectra.core.emission.declare import stages_of
from rhevectra.core.formulas import choke, copper, inductor, noise, powder
from rhevectra.core.magnetics.line_choke import MOST_LAYERS, TOLERANCE, ChokeNeed, Lead, LineChoke, choose_line_choke
from rhevectra.core.magnetics.ring import RingNeed, choose_ring, rings
from rhevectra.core.stages.work import Work
from rhevectra.core.stages.wound import record_rise

NEAR = 1.1
"""Copper of the chokes over what the line was solved with up to which nobody needs to look: the rest of the path is several times as
much."""
COMMON_SHARE = 0.65
"""Share of the filter's copper that the common-mode choke may take where there are both (common practice)."""
MU = 7000.0
"""Permeability of a usual common-mode core."""
THICK, ABREAST = 1.4e-3, (2, 3)
"""Thinnest wire [m] of which several are wound abreast, and how many (common practice: thicker ones no longer bend round a ring)."""
B_LEAK_MOST = 0.25
"""Field the line current may leave in such a ferrite [T]: it saturates near 0.25 T hot where its permeability is high (typical, from
memory)."""


def _windings(work: Work) -> tuple[int, int]:
    """Windings of the common-mode choke, and how many of them a line current passes."""
    return (3, 1) if work.need.mains.kind == "ac3" else (2, 2)


def _most(work: Work, what: str) -> float:
    """Greatest line current [A] in run: rms or peak."""
    run = np.broadcast_to(corners.LOADED.mask(work.grid), work.grid.shape)
    return float(np.broadcast_to(work.sheet.rows[f"inlet.i_{what}"].value, run.shape)[run].max())


def _admitted(work: Work) -> float:
    """Copper the chokes are to keep to [Ω]: what the line was solved with, or where that is what they came to, the usual."""
    return max(float(
        work.sheet.rows["inlet.r_usual" if work.wound and not work.choose.pinned("inlet.r_filter") else "inlet.r_filter"].value), 1e-6)


def _rise(work: Work) -> Any:
    """The rise they may have [K]."""
    return work.choose("inlet.choke_rise", 40.0, "enamel of class 130 °C next to capacitors of 85 to 105 °C (common practice)")


def windable(work: Work, l_cm: float, alone: bool) -> bool:
    """Whether a ring of the catalogue takes a common-mode choke [H] of one stage within the copper admitted, alone or beside a differential
    one."""
    _rise(work)
    return _choice(work, l_cm, (1.0 if alone else COMMON_SHARE) * NEAR * _admitted(work) / _windings(work)[1])[0].passed


def record(work: Work, unshielded: bool) -> float:
    """Rows of both chokes, where the filter asks for them; their copper [Ω] where the line has to be solved with more, else 0. unshielded:
    the transformer could have a shield and has none."""
    sheet = work.sheet
    windings, passes = _windings(work)
    sheet.again("inlet.rise_limit", _rise(work))
    amps, peak = _most(work, "rms"), _most(work, "peak")
    l_cm, l_dm = (float(sheet.rows[f"inlet.l_{k}"].value) for k in ("cm", "dm"))
    share = 1.0 if not l_dm else 0.0 if not l_cm else COMMON_SHARE
    most, stages = _admitted(work), stages_of(sheet.rows)
    r_cm: Any = _common(work, windings, share * most / passes / stages) if l_cm else 0.0
    r_dm: Any = _differential(work, amps, peak, (1 - share) * most / stages) if l_dm else 0.0
    if l_cm or l_dm:
        counts = {n: sheet.given(f"inlet.in_line_{n}", k, "", "rule", f"windings of the {n} chokes that a line current passes")
                  for n, k in (("common", stages * passes if l_cm else 0), ("differential", stages if l_dm else 0))}
        wound = float(
            sheet("inlet.r_wound", choke.in_line, common=counts["common"], r_common=r_cm, beside=counts["differential"],
                  r_beside=r_dm).value)
        if wound > NEAR * most:
            return _too_much(work, wound, most, l_cm > 0, unshielded)
    return 0.0


def _too_much(work: Work, wound: float, most: float, common: bool, unshielded: bool) -> float:
    """Tells what lessens copper [Ω] beyond what is admitted; returns it where the line was solved with less and nobody chose that."""
    earth = ", an earthed supply (class I), whose Y capacitors may be larger," if common and work.need.protection_class == "II" else ""
    helps = "larger rings, a smaller choke" + (", a shield in the transformer" if common and unshielded else "")
    solved = float(work.sheet.rows["inlet.r_filter"].value)
    if wound <= NEAR * solved:
        watts = float(np.max(work.sheet.rows["loss.mains_filter"].value))
        work.find(NOTE, "inlet", f"no ring keeps the chokes of the filter to {show(most, 'Ω')}: they come to {show(wound, 'Ω')} and burn "
                  f"{show(watts, 'W')} at most, which is counted; {helps}{earth} would take less", "inlet.r_wound", "")
        return 0.0
    work.find(LOOK_AT, "inlet", f"the chokes of the filter come to {show(wound, 'Ω')}, the line was solved with {show(solved, 'Ω')}: "
              f"{helps}{earth} or {show(wound, 'Ω')} of copper admitted", "inlet.r_wound", "inlet.r_filter")
    return 0.0 if work.choose.pinned("inlet.r_filter") else wound


def _wire_and_heat(work: Work, name: str, turns: Any, mean: float, area: float, surface: float, windings: int) -> Any:
    """Resistance of one winding and rise of a choke at its allowed temperature, as rows."""
    sheet, need = work.sheet, work.need
    hot = sheet.given(f"inlet.t_{name}", need.ambient_max + float(sheet.rows["inlet.choke_rise"].value), "°C", "rule",
                      "hottest ambient and the rise allowed")
    r = sheet(f"inlet.r_{name}", inductor.winding_resistance, rho=sheet(f"inlet.rho_{name}", copper.resistivity, temperature=hot),
              turns=turns,
              mean_turn=sheet.given(f"inlet.turn_{name}", mean, "m", "catalogue", "length of a turn on its ring"),
              copper=sheet.given(f"inlet.copper_{name}", area, "m²", "catalogue", "copper of its wire"))
    heat = sheet(f"inlet.loss_{name}", choke.copper_loss,
                 windings=sheet.given(f"inlet.windings_{name}", windings, "", "rule", "windings that carry the line current"), resistance=r,
                 current=sheet.rows["inlet.i_rms"])
    record_rise(work, "inlet", surface, 0.0, heat, tail=f"_{name}")
    return r


def _leads(table: Table) -> list[Lead]:
    """What a choke may be wound of, least copper first: an enamelled wire, or some of the thick ones abreast where that is more copper than
    any alone."""
    single = [Lead(r["name"], r["diameter_m"], r["overall_m"]) for r in table.rows if r["kind"] == "enamel"]
    most = max(x.copper for x in single)
    several = [Lead(f"{n}x{x.name}", x.bare, x.overall, n) for n in ABREAST for x in single if x.bare >= THICK]
    return sorted([*single, *(x for x in several if x.copper > most)], key=lambda x: x.copper)


def _choice(work: Work, l_cm: float, r_most: float) -> tuple[LineChoke, list[Lead], Any]:
    """Ring and lead of a common-mode choke [H] whose windings may have r_most [Ω] each, of what leads, and the permeability's row."""
    choose, need = work.choose, work.need
    mu = choose("inlet.cm_mu", MU, "ferrite of high permeability (common practice): below it more turns, above it the permeability falls "
                "off from some 150 kHz")
    asked = ChokeNeed(l_cm, float(mu.value), _windings(work)[0], _most(work, "rms"), r_most,
                      float(work.sheet.rows["inlet.choke_rise"].value), need.ambient_max, need.cooling, need.height_max,
                      noise.LEAK, _most(work, "peak"), B_LEAK_MOST)
    leads = work.parts["wires"].derived(_leads)
    return choose_line_choke(asked, work.parts["rings"], leads, choose.pins.get("inlet.cm_ring")), leads, mu


def _common(work: Work, windings: int, r_most: float) -> Any:
    """The common-mode choke; returns the resistance of one of its windings."""
    sheet, choose, table = work.sheet, work.choose, work.parts["rings"]
    c, leads, mu = _choice(work, float(sheet.rows["inlet.l_cm"].value), r_most)
    choose("inlet.cm_ring", table.names[c.ring],
           f"chosen from {len(table.names)}: smallest ring whose {windings} windings fit a sector each in {MOST_LAYERS} layers at most, "
           "and keep resistance, field of their leakage and rise" if c.passed
           else f"none of {len(table.names)} passes; the one that comes nearest", c.refused)
    size = table.derived(rings)
    area, length = (sheet.given(f"inlet.{k}_cm", float(getattr(size, k)[c.ring]), unit, "catalogue", f"effective {k} of its ring")
                    for k, unit in (("area", "m²"), ("length", "m")))
    turns = sheet.solved("inlet.turns_cm", c.turns, "turns",
                         f"least whole turns of each winding, in {c.layers} layer{'s' if c.layers > 1 else ''}; permeability "
                         f"{TOLERANCE * 100:g} % short", inductance=sheet.rows["inlet.l_cm"], mu=mu)
    sheet.chosen("inlet.wire_cm", leads[c.lead].name, "", "thickest enamelled wire that fits its sector, or several abreast")
    sheet("inlet.l_cm_least", choke.least_inductance, tolerance=TOLERANCE, mu=mu, area=area, turns=turns, length=length)
    sheet("inlet.b_cm", choke.leakage_flux, share=noise.LEAK, inductance=sheet.rows["inlet.l_cm"], current=sheet.rows["inlet.i_peak"],
          turns=turns, area=area)
    sheet.given("inlet.b_cm_limit", B_LEAK_MOST, "T", "rule", "high-permeability ferrite, hot (typical, from memory)")
    return _wire_and_heat(work, "cm", turns, c.mean_turn, c.copper, c.surface, windings)


def _differential(work: Work, amps: float, peak: float, r_most: float) -> Any:
    """The differential choke, which keeps its inductance up to the crest of the line current; returns its resistance."""
    sheet, choose, need, parts = work.sheet, work.choose, work.need, work.parts
    size, table, grades = parts["rings"].derived(rings), parts["rings"], parts["powders"]
    allowed = float(sheet.rows["inlet.choke_rise"].value)
    asked = RingNeed(float(sheet.rows["inlet.l_dm"].value), peak, peak, amps,
                     lambda *a: (np.zeros(np.broadcast_shapes(*(np.shape(x) for x in a if not hasattr(x, "rows")))), 0.0),
                     max(work.grid.freqs), need.ambient_max, allowed, need.cooling, need.height_max, r_most)
    c = choose_ring(asked, size, grades, choose.pins.get("inlet.dm_ring"), choose.pins.get("inlet.dm_powder"))
    many = len(table.names) * len(grades.names)
    choose("inlet.dm_ring", table.names[c.ring],
           f"chosen from {many} rings and grades: least volume by price and loss that keeps the inductance at the crest of the line "
           "current, resistance and rise" if c.passed else f"none of {many} passes; the one that comes nearest", c.refused)
    grade = grades.row(choose("inlet.dm_powder", grades.names[c.grade], "the grade of that choice").value)
    turns = sheet.solved("inlet.turns_dm", c.turns, "turns", "least whole turns that give the inductance at the crest of the line current",
                         inductance=sheet.rows["inlet.l_dm"])
    length = sheet.given("inlet.length_dm", float(size.length[c.ring]), "m", "catalogue", "effective path of its ring")
    zero = sheet("inlet.l_dm_unbiased", powder.unbiased, mu=grade["mu_initial"],
                 area=sheet.given("inlet.area_dm", float(size.area[c.ring]), "m²", "catalogue", "effective section of its ring"),
                 turns=turns, length=length)
    sheet.given("inlet.strand_dm", c.strand, "m", "rule", "the thickest strand its turns have room for: the ripple is small")
    half = sheet("inlet.i_half_dm", powder.half_current, h_half=grade["h_half_a_m"], length=length, turns=turns)
    sheet("inlet.l_dm_crest", powder.biased, unbiased=zero, current=sheet.rows["inlet.i_peak"], i_half=half,
          exponent=grade["bias_exponent"])
    return _wire_and_heat(work, "dm", turns, float(size.mean_turn[c.ring]), c.copper, float(size.surface[c.ring]), 1)
