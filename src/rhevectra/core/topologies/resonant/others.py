"""Rows of several outputs of a resonant stage: what each has of the period, and where those stand that no loop holds."""

from typing import TYPE_CHECKING, Any

from msgspec.structs import replace

from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.formulas import coupled
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import secondaries
from rhevectra.core.topologies.common.outputs import record_range
from rhevectra.core.topologies.resonant.several import PIECES, STEPS
from rhevectra.core.topologies.resonant.stage import Stage

if TYPE_CHECKING:
    from rhevectra.core.topologies.resonant.build import Plan

OFF = 0.02
"""Share of its load an output may miss before its figures are no figures."""


def given(work: Work, plan: "Plan") -> tuple[secondaries.Other, ...]:
    """The outputs beside the regulated one in rows, and the current of all."""
    found = tuple(replace(x, **secondaries.given(work, plan, x, plan.turns[k])) for k, x in enumerate(plan.stage.others, 2))
    seen = work.sheet.rows["load.i1"]
    for x in found:
        seen = work.sheet(f"load.i_with{x.n}", coupled.seen, i=seen, i_other=x.i_out, turns_other=x.ns, turns=plan.turns[1])
    if found:
        work.sheet.again("load.i_seen", seen)
    return found


def each(work: Work, plan: "Plan", s: Stage, o: dict[str, Any]) -> list[dict[str, Any]]:
    """What each output has of the period, the regulated one first: its number n, current i_out, voltage and drop of its rectifier,
    resistance of its winding, rms of both its rectifiers and peak while the stage runs. One alone has all of it."""
    main = {"n": 1, "i_out": s.i_out, "v_out": s.v_out, "v_forward": work.sheet.rows["rectifier.v_forward"], "r_winding": s.r_secondary,
            "i_rect": o["i_rect"], "i_peak": o["i_rect_peak"]}
    if not s.others:
        return [main]
    sheet, shared = work.sheet, plan.stage.extra["shared"]
    text = (f"solved: the rectified half period in {PIECES * STEPS} steps, outputs held apart by leakage and resistance, diodes conducting "
            f"or not; loads met to {shared.miss:.1g}")
    found = [main, *({"n": x.n, "i_out": x.i_out, "v_forward": x.v_forward, "r_winding": x.r_secondary} for x in s.others)]
    for k, own in enumerate(found):
        n, inputs = own["n"], {"i_out": own["i_out"], "i_seen": o["i_rect"], "f": o["f"], "leakage": s.leakage}
        own |= {"i_rect": sheet.solved(f"rectifier{n}.i_both", shared.rms[k], "A", text, **inputs),
                "i_peak": sheet.solved(f"rectifier{n}.i_peak_nominal", shared.peak[k], "A", text, **inputs)}
        if k:
            own["v_out"] = sheet.solved(f"output{n}.v", shared.volts[k], "V", text, **inputs)
            record_range(work, n, work.need.outputs[n - 1], own["v_out"])
    return found


def findings(work: Work, s: Stage) -> None:
    """Where no sharing was found."""
    miss = s.extra["shared"].miss
    if miss > OFF:
        work.find(MUST_FIX, "rectifier", f"no voltage was found at which every output takes its load: {miss * 100:.0f} % of one is "
                  "missing; its currents and voltages are not to be used", "rectifier1.i_peak", "llc.ratio")
