"""What would cure a figure that breaks its limit: a decision of this design, pinned or not."""

import re
from collections.abc import Collection, Mapping, Sequence

from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Row
from rhevectra.core.design.design import Figure
from rhevectra.core.design.names import spoken
from rhevectra.core.design.spent import BY_LOSS, none_left, spent
from rhevectra.core.stages import air
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common.loop import SMOOTHS

Cures = Mapping[str, str | tuple[str, ...]]
"""Figure or stage -> the decision that cures it, or several of which the first that this design has is meant; # stands for the number of an
output."""

MORE_DIES = ("switch.class", "switch.parallel")
"""What carries more and stays cooler."""
COMMON: Cures = {"start.delay": ("start.path", "aux.i"), "inlet.i_rms": "front_end", "inlet.i_unbalanced": "front_end",
                 "inlet.i_thermistor": ("inlet.thermistor", "inlet.limiter"), "inlet.discharge_time": "inlet.c_x",
                 "inlet.i_inrush_hot": ("bridge.class", "inlet.thermistor"),
                 "bridge.case_to_ambient": "bridge.class", "bridge.i_avg": "bridge.class", "bridge.v_reverse": "bridge.class",
                 "bulk": ("bulk.c", "pfc.c_bus", "pfc.c_half"),
                 "bulk.v_peak": ("pfc.v_bus", "derating.bulk_v"), "pfc.f_low": "pfc.f_min",
                 "switch": "switch.class", "switch.i_peak": MORE_DIES, "short.i_peak": MORE_DIES, "switch.case_to_ambient": MORE_DIES,
                 "switch.runaway": MORE_DIES, "switch.i_peak_run": "switch.current_limit", "switch.i_peak_least": "switch.current_limit",
                 "overload.least": "switch.current_limit", "overload.most": "switch.current_limit",
                 "overload.t_winding": "overload.timer", "gate.c_boot": "gate.c_boot",
                 "gate.dead_need": ("switch.dead_time", "psfb.dead_leading", "active.dead_time", "switch.duty_limit"),
                 "sink.primary": "sink.primary", "sink.secondary": "sink.secondary",
                 "short.b_peak": "switch.short_rate", "switch.duty_max": ("bulk.c", "flyback.v_or"),
                 "switch.v_bus_least": ("bulk.v_min_stage", "forward.duty", "flyback.v_or"), "transformer": "transformer.core",
                 "rectifier": "rectifier1.class", "filter1.gap": "filter1.ripple_ratio", "load": "switch.class",
                 "rectifier#.i_avg": "rectifier#.parallel",
                 "rectifier#.v_reverse": ("rectifier#.class", "rectifier#.series", "secondary.kind", "flyback.v_or", "topology"),
                 "rectifier#": "rectifier#.class", "output#.ripple_pp": ("output#.parallel", "filter#.l", "output#.cap"),
                 "output#.i_c_rms": "output#.parallel", "output#.v_c": "output#.cap",
                 "output#.life": ("output#.parallel", "output#.cap", air.ID),
                 "bulk.i_rms": ("bulk.parallel", "pfc.c_bus", "pfc.c_half"),
                 "bulk.life": ("bulk.parallel", "pfc.c_bus", "pfc.c_half", air.ID),
                 "output#.ripple_line_pp": SMOOTHS, "output#.step": "output#.parallel",
                 "output#.v_open": ("aux.v_trip", "feedback.v_trip", "output#.cap"),
                 "feedback.i_end": "feedback.r_led", "feedback.error": "feedback.reference_tolerance",
                 "feedback.phase_margin": "feedback.f_aim", "feedback.gain_margin": "feedback.f_aim",
                 "output1.v_low": "feedback.weight", "output1.v_high": "feedback.weight",
                 "output#.v_low": ("transformer.ns#", "rectifier1.class"),
                 "output#.v_high": ("output#.bleed", "transformer.ns#", "rectifier1.class"),
                 "regulator#.v_drop": "regulator#.v_in", "regulator#.case_to_ambient": ("regulator#.class", "regulator#.v_in"),
                 "regulator#.ripple_pp": ("output#.parallel", "filter#.l", "output#.cap"), "regulator#": "regulator#.class"}
"""Where neither front end, topology nor clamp names its own."""
ASKED = {"inlet.i_rms": "less power or a higher lowest line", "switch.v_bus_least": "a shorter hold-up",
         "switch.duty_max": "an output below the lowest bus"}
"""What of the requirement would have to give where no decision helps."""
SHAPE = ("topology", "front_end", "clamp.kind")
"""Decisions that change which stages stand in the path; a pin on one is no cause of a figure."""
OF_LOSS: Cures = {"start_up": "bulk.r_bleed", "x_discharge": ("inlet.discharge", "inlet.c_x"), "bridge": ("front_end", "bridge.class"),
                  "switch_spike": "fs", "mains_filter": "inlet.r_filter", "thermistor": "inlet.limiter", "controller": "aux.i",
                  "current_sense": ("sense.kind", "switch.current_limit"), "core": "transformer.core", "copper": "transformer.core",
                  "clamp": "clamp.kind", "clamp_diode": "clamp.kind", "clamp_switch": "clamp.kind",
                  "rectifier#": ("rectifier#.class", "rectifier#.parallel"), "bleed#": ("output#.bleed", "feedback.ctr", "feedback.r_low"),
                  "bulk": ("bulk.c", "pfc.c_bus"), "regulator#": "regulator#.class", "input_capacitors": "input.cap",
                  "brown_out": "brown.r_high", "filter_core": "filter1.core", "filter_copper": "filter1.core", "filter#": "filter#.l",
                  "leakage_ring": "transformer.arrangement", "winding_ring": "fs", "idle_ring": "fs", "uneven_phases": "llc.spread",
                  "tank_inductor_core": "llc.inductor_core", "tank_inductor_copper": "llc.inductor_core",
                  "pfc_switch_on": "pfc.switch_class", "pfc_switch_edges": "pfc.switch_class", "pfc_diode": "pfc.diode",
                  "pfc_core": "pfc.core", "pfc_copper": "pfc.core", "pfc_slow_leg": "pfc.slow_class"}
"""Loss -> the decision that lowers it; of those of a switch, its class."""
TOLD = 3
"""Greatest losses that are named."""


def cure_of(figure: Figure, work: Work, cures: Cures) -> tuple[str, str]:
    """The decision that would cure a figure ("" where there is none), and what to do in words: its own cure, and before it a pin of its
    stage that the figure was worked out from; of one that all losses make, what lowers the greatest."""
    spec, pins, specs = figure.spec, work.choose.pins, work.choose.specs
    if spec.id in BY_LOSS:
        return _by_loss(figure, work)
    able = _named(spec, specs, cures)
    named = _first(able, spec.id, work)
    best = none_left(spec.id) if able and named != able[0] else ""
    if named in pins and named not in SHAPE:
        return named, f"freeing the pin on {named} may cure it"
    rows = work.sheet.rows
    causes = _origins(rows[spec.id], rows.get(spec.limit)) if pins else set()
    pinned = [id for id in pins if id in causes and id not in SHAPE and specs[id].stage == spec.stage]
    if pinned:
        return pinned[0], f"freeing the pin on {pinned[0]}{f' or changing {named}' if named else ''} may cure it"
    return named, f"{best}change {named}" if named else f"{best}no decision cures it, only {ASKED.get(spec.id, 'another requirement')}"


def _by_loss(figure: Figure, work: Work) -> tuple[str, str]:
    """The decision that lowers the greatest loss at the corner of a figure that they all make ("" where none is known), and what burns most
    there in words."""
    assert figure.corner is not None
    losses = {name: float(row.at(figure.corner.index)) for name, row in work.sheet.rows["loss.total"].inputs.items()}
    first = sorted(losses, key=lambda name: -losses[name])[:TOLD]
    number = re.sub(r"\D", "", first[0])
    given = OF_LOSS.get(first[0]) or OF_LOSS.get(re.sub(r"\d+", "#", first[0])) or ("switch.class" if first[0].startswith("switch") else ())
    cure = _first(_had(given, number, work.choose.specs), figure.spec.id, work)
    told = ", ".join(f"{spoken(name)} {show(losses[name], 'W')}" for name in first)
    return cure, f"most of it {told}" + (f"; change {cure}" if cure else "")


def _named(spec: FigureSpec, specs: Collection[str], cures: Cures) -> list[str]:
    """The decisions that may cure a figure, of those that a design has, the usual first."""
    found = re.match(r"(output|rectifier|regulator)(\d+)\b", spec.id)
    number = found.group(2) if found else ""
    keys = [spec.id, *((spec.id.replace(number, "#", 1), f"{found.group(1)}#") if found else ()), spec.stage]
    for key in keys:
        if key in cures:
            return _had(cures[key], number, specs)
    return []


def _had(given: str | tuple[str, ...], number: str, specs: Collection[str]) -> list[str]:
    """Of the decisions given those that a design has; number: of the output for which # stands."""
    return [id for one in ((given,) if isinstance(given, str) else given) if (id := one.replace("#", number)) in specs]


def _first(able: Sequence[str], figure: str, work: Work) -> str:
    """The first that has something left to give a figure, "" where none has."""
    return next((id for id in able if not spent(figure, id, work)), "")


def _origins(*rows: Row | None) -> set[str]:
    """Ids of all rows that some rows were worked out from."""
    seen, ids, open_ = set[int](), set[str](), [r for r in rows if r is not None]
    while open_:
        row = open_.pop()
        if id(row) in seen:
            continue
        seen.add(id(row))
        ids.add(row.id)
        open_ += [r for r in (*row.inputs.values(), row.estimate) if isinstance(r, Row)]
    return ids
