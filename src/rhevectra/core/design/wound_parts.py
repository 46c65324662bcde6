"""Wound parts beside the transformer, as their maker needs them: core, gap, turns, wire, inductance with its currents, resistance, and what
to look at."""

from collections.abc import Iterator, Mapping
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.emission.declare import stages_of
from rhevectra.core.formulas import copper, coupled, inductor
from rhevectra.core.magnetics.inductor import MADE, InductorChoice
from rhevectra.core.magnetics.line_choke import MOST_LAYERS
from rhevectra.core.magnetics.ring import rings
from rhevectra.core.magnetics.windows import legs_called

_SERIES = "inductor in series with the transformer"
OF_STAGE = (("inductor", _SERIES, "psfb.l_series", "transformer.i_rms_primary", "switch.i_peak", "inductor.b_peak", ""),
            ("inductor", _SERIES, "inductor.l", "llc.i_tank", "short.i_nominal", "short.b_peak", "llc.lr_tolerance"),
            ("filter1", "filter inductor", "filter1.l", "filter1.i_rms", "filter1.i_peak", "filter1.b_peak", "filter1.l_tolerance"))
"""Gapped parts of the power stage: prefix of the rows, name, and the rows of inductance, rms and largest current, of the flux at that, and
of the tolerance where one is decided."""


class WoundPart(Struct, frozen=True):
    """One kind of part: name, count, core with its material, gap, turns, wire, inductance with its limits, rms and largest current [A],
    resistance at 20 °C of one winding [Ω], length of its wire [m], remark."""

    name: str
    count: int
    core: str
    gap: str
    turns: str
    wire: str
    inductance: str
    i_rms: float
    i_peak: float
    resistance: float
    length: float
    remark: str


def bundle(area: float, strand: float) -> str:
    """A wire of this copper [m²] in words, of strands of a diameter [m]."""
    count = max(round(area / (np.pi / 4 * strand**2)), 1)
    return f"{strand * 1e3:g} mm" if count == 1 else f"{count} × {strand * 1e3:g} mm twisted, {area * 1e6:.3g} mm² of copper"


def _most(rows: Mapping[str, Any], id: str) -> float:
    return float(np.max(rows[id].value))


def _gapped(design: Design, prefix: str, name: str, c: InductorChoice, inductance: float, i_rms: float, i_peak: float, flux: float,
            material: str, tolerance: str) -> WoundPart:
    length, post = c.turns * c.mean_turn, legs_called(design.catalogue["cores"].row(c.name))[0]
    made = float(design.rows[tolerance].value) if tolerance else MADE
    return WoundPart(name, design.count(prefix), f"{c.name}, {material}",
                     f"{show(c.gap, 'm', 3)} in the {post}, or spacers of {show(c.gap / 2, 'm', 3)} under all legs", str(c.turns),
                     bundle(c.copper, c.strand), f"{show(inductance, 'H')} ± {made * 100:.0f} %, no current", i_rms, i_peak,
                     float(inductor.winding_resistance(copper.resistivity(20.0), c.turns, c.mean_turn, c.copper)), length,
                     f"still {show((1 - made) * inductance, 'H')} at {show(i_peak, 'A')}: the flux is {show(flux, 'T')} there")


def _boost(design: Design) -> Iterator[WoundPart]:
    """The inductor of a power factor stage, on its gapped core or its ring."""
    rows, front = design.rows, design.context["front"]
    choke = getattr(front, "choke", None)
    if choke is None:
        return
    told = _most(rows, "pfc.i_l_rms"), _most(rows, "pfc.current_limit")
    if choke.gapped is not None:
        yield _gapped(design, "pfc", "boost inductor", choke.gapped, _most(rows, "pfc.l"), *told, choke.gapped.b_peak,
                      str(rows["pfc.material"].value), "pfc.l_tolerance")
        return
    sizes = design.catalogue["rings"].derived(rings)
    length, area = choke.turns * float(sizes.mean_turn[choke.ring.ring]), choke.ring.copper
    yield WoundPart("boost inductor", int(rows["pfc.count"].value), f"{rows['pfc.ring'].value}, {rows['pfc.powder'].value}", "none",
                    f"{choke.turns:.0f}", bundle(area, choke.ring.strand),
                    f"{show(float(rows['pfc.l_unbiased'].value), 'H')} ± {float(rows['pfc.l_tolerance'].value) * 100:.0f} %, no current",
                    *told,
                    float(inductor.winding_resistance(copper.resistivity(20.0), 1.0, length, area)), length,
                    f"{show(float(np.min(rows['pfc.l_limit'].value)), 'H')} left at {show(told[1], 'A')}")


def _line_chokes(design: Design) -> Iterator[WoundPart]:
    """Both chokes of the mains filter, where it has them."""
    rows = design.rows
    amps = lambda id: float(np.max(rows[id].value))  # noqa: E731

    count = stages_of(rows)

    def of(tag: str, length: float, **told: Any) -> WoundPart:
        copper_area = float(rows[f"inlet.copper_{tag}"].value)
        return WoundPart(i_rms=amps("inlet.i_rms"), i_peak=amps("inlet.i_peak"),
                         resistance=float(inductor.winding_resistance(copper.resistivity(20.0), 1.0, length, copper_area)), length=length,
                         gap="none", **told)
    if "inlet.cm_ring" in rows:
        turns, windings = float(rows["inlet.turns_cm"].value), int(rows["inlet.windings_cm"].value)
        yield of("cm", turns * float(rows["inlet.turn_cm"].value), name="common-mode choke", count=count,
                 core=f"{rows['inlet.cm_ring'].value}, ferrite of permeability {float(rows['inlet.cm_mu'].value):.0f}",
                 turns=f"{windings} × {turns:.0f}", wire=str(rows["inlet.wire_cm"].value).replace("mm", " mm"),
                 inductance=f"{show(float(rows['inlet.l_cm'].value), 'H')} at least, each winding, 10 kHz",
                 remark=f"each winding in a sector of its own, {MOST_LAYERS} layers at most, the same sense and the starts on one side: "
                 "line currents must cancel; insulation between windings as the standard in force asks")
    if "inlet.dm_ring" in rows:
        turns = float(rows["inlet.turns_dm"].value)
        yield of("dm", turns * float(rows["inlet.turn_dm"].value), name="differential choke",
                 count=count * design.requirement.mains.phases,
                 core=f"{rows['inlet.dm_ring'].value}, {rows['inlet.dm_powder'].value}", turns=f"{turns:.0f}",
                 wire=bundle(float(rows["inlet.copper_dm"].value), float(rows["inlet.strand_dm"].value)),
                 inductance=f"{show(float(rows['inlet.l_dm_unbiased'].value), 'H')} ± {MADE * 100:.0f} %, no current",
                 remark=f"{show(float(np.min(rows['inlet.l_dm_crest'].value)), 'H')} left at the crest of the line current")


def _of_stage(design: Design) -> Iterator[WoundPart]:
    """Inductors of the power stage."""
    rows, plan = design.rows, design.context["plan"]
    material = next((str(rows[id].value) for id in ("transformer.material", "filter1.material") if id in rows), "")
    for prefix, name, *ids, tolerance in OF_STAGE:
        choice = getattr(plan, "choke", None) if prefix == "filter1" else getattr(plan, "series", None) or getattr(plan, "choke", None)
        if choice is not None and f"{prefix}.core" in rows and ids[0] in rows:
            inductance, i_rms, i_peak, flux = (_most(rows, id) for id in ids)
            whole = _gapped(design, prefix, name, choice, inductance, i_rms, i_peak, flux, material, tolerance)
            yield from _windings(design, choice, whole) if prefix == "filter1" and design.context["shared"] else (whole,)


def _windings(design: Design, c: InductorChoice, whole: WoundPart) -> Iterator[WoundPart]:
    """The windings of a filter core that several outputs share; whole: as if it had one, of the regulated output's turns."""
    rows, shared, outputs = design.rows, design.context["shared"], design.requirement.outputs
    alone = float(coupled.alone(float(rows["filter1.l"].value), float(rows["filter1.coupling"].value), len(shared)))
    made = float(rows["filter1.l_tolerance"].value)
    for own in shared:
        n = own["n"]
        turns = float(rows["filter1.turns" if n == 1 else f"filter1.turns{n}"].value)
        ratio, resistance = turns / c.turns, float(rows["filter1.r" if n == 1 else f"filter1.r{n}"].value)
        area = c.copper * ratio * c.resistance / resistance  # of one turn: its share of all copper over its turns
        yield replace(whole, name=f"{whole.name}, {outputs[n - 1].name}", core=whole.core if n == 1 else "on the same core",
                      gap=whole.gap if n == 1 else "–", turns=f"{turns:g}", wire=bundle(area, c.strand), length=turns * c.mean_turn,
                      inductance=f"{show(alone * ratio**2, 'H')} ± {made * 100:g} %, the others open, 10 kHz",
                      i_rms=_most(rows, f"filter1.i_rms_of{n}"), i_peak=_most(rows, f"filter1.i_peak_of{n}"),
                      resistance=float(inductor.winding_resistance(copper.resistivity(20.0), turns, c.mean_turn, area)),
                      remark=whole.remark + ", all outputs together, seen from here" if n == 1
                      else "wound in one bundle with the others, the same sense, the starts on one side")


def wound_parts(design: Design) -> tuple[WoundPart, ...]:
    """Every inductor and choke of a design that has to be wound, from the mains to the output."""
    return (*_line_chokes(design), *_boost(design), *_of_stage(design))
