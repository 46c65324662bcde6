"""Rows of the outputs that no loop holds, of a step-down stage with several: what they stand at, lose and are smoothed by."""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.corners import RUN
from rhevectra.core.basis.findings import LOOK_AT, NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import coupled, forward
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import secondaries
from rhevectra.core.topologies.common.bank import record_bank
from rhevectra.core.topologies.common.outputs import SLOWER_FED_ALWAYS, record_range
from rhevectra.core.topologies.stepdown import secondary
from rhevectra.core.topologies.stepdown.several import Other
from rhevectra.core.topologies.stepdown.stage import Stage

if TYPE_CHECKING:
    from rhevectra.core.topologies.stepdown.build import Plan


def given(work: Work, plan: "Plan") -> tuple[Other, ...]:
    """The outputs in rows."""
    sheet, found = work.sheet, []
    for k, x in enumerate(plan.stage.others, 2):
        found.append(
            replace(x, **secondaries.given(work, plan, x, plan.turns[k]),
                    r_inductor=sheet.solved(f"filter1.r{x.n}", x.r_inductor, "Ω",
                                            "copper of its winding on the filter core: "
                                            "a share of it as its ampere-turns at full load are")))
        turns = plan.choke.turns * float(plan.turns[k].value) / float(plan.turns[1].value)
        sheet.solved(f"filter1.turns{x.n}", turns, "turns",
                     "those of the regulated output in the ratio of the transformer's: another ratio drives a current round between the "
                     "outputs")
    return tuple(found)


def rectifiers(sheet: Any, id: str, s: Stage, path: Any, own: Mapping[str, Any], fed: Any) -> Any:
    """Loss [W] of the rectifiers of one output; path: what has its drop and resistance; own: its current i and rms i_l."""
    given = {"v_forward": path.v_forward, "i_out": own["i"], "r_dynamic": path.r_rectifier, "i_inductor": own["i_l"]}
    return sheet(id, forward.centre_tap_loss, **given, duty=fed) if s.variant.both_ways else sheet(id, forward.rectifiers_loss, **given)


def losses(sheet: Any, whole: Stage, shared: Sequence[Mapping[str, Any]], fed: Any) -> tuple[dict[str, Any], dict[str, Any]]:
    """Copper of the secondaries and loss of the rectifiers beside those of the regulated output, by their names."""
    both = [(x, own, replace(whole, r_secondary=x.r_secondary)) for x, own in zip(whole.others, shared[1:], strict=True)]
    return ({f"winding{x.n}": secondary.copper(sheet, s, own, fed, x.n) for x, own, s in both},
            {f"rectifier{x.n}": rectifiers(sheet, f"loss.rectifiers{x.n}", s, x, own, fed) for x, own, s in both})


def banks(work: Work, s: Stage, least: Mapping[str, Any], shared: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """Voltages and capacitors of all outputs; returns the losses of their bleeds. least: the period with the ripple of the least filter
    inductance."""
    sheet, rows, first = work.sheet, work.sheet.rows, shared[0]
    main = {"v_out": rows["load.v_even"], "v_forward": s.v_forward, "r": first["r"], "i": first["i"], "idle": first["idle"]}
    bleeds: dict[str, Any] = {}
    for own, x in zip(shared, (None, *s.others), strict=True):
        n, turns = own["n"], {"turns_other": own["ns"], "turns": s.ns}
        if x is not None:
            need = work.need.outputs[n - 1]
            sheet.given(f"load.v{n}", need.magnitude, "V", text=f"magnitude of {need.name}")
            volts = sheet(f"output{n}.v", coupled.other_voltage, **main, **turns, v_forward_other=x.v_forward, r_other=own["r"],
                          i_other=x.i_out, r_feeding=own["feeding"], crest=own["crest"])
            record_range(work, n, need, volts,
                         sheet(f"output{n}.v_idle", coupled.lifted, v=volts, idle=own["idle"], v_lift=rows["filter1.v_lift"],
                               r_feeding=first["feeding"], crest=first["crest"], i=first["i"], **turns))
        ripple = sheet(f"filter1.i_ripple_most_of{n}", coupled.ripple_of_one, ripple=least["ripple"], sharers=rows["filter1.sharers"],
                       uneven=own["uneven"], turns=s.ns, turns_other=own["ns"], busy=own["busy"], i=own["i"])
        sheet(f"output{n}.i_c_rms", coupled.capacitor_rms, ripple=ripple)
        bleeds |= record_bank(work, s.i_out if x is None else x.i_out, {**least, "ripple": ripple}, SLOWER_FED_ALWAYS, n)
    return bleeds


def findings(work: Work) -> None:
    """Where the regulated output is idle while others are loaded, and what would keep it in use; where it is so even at full load."""
    rows, grid, outs = work.sheet.rows, work.grid, work.need.outputs
    idle = np.broadcast_to(rows["load.idle1"].value, grid.shape)
    if (idle[:, :, grid.full_load] > 0).any():
        work.find(LOOK_AT, "load", f"{outs[0].name}, which the loop holds, has less than its part of the ripple even at full load: the "
                  "others follow its crests, and are told within a few per cent; hold the output that carries most", "", "")
    sunk = [o.name for n, o in enumerate(outs[1:], 2)
            if (np.where(RUN.mask(grid), np.broadcast_to(rows[f"output{n}.v"].value, grid.shape), np.inf)
                < float(rows[f"output{n}.v_min"].value))[idle > 0].any()]
    if sunk:
        least = 0.5 * float(np.max(rows["filter1.i_ripple_ideal"].value)) / len(outs)
        work.find(NOTE, "load", f"{', '.join(sunk)} sink{'s' if len(sunk) == 1 else ''} while {outs[0].name}, which the loop holds, is "
                  f"idle: a least load of {show(least, 'A', 2)} there, asked for or as its bleed, keeps its filter winding in use", "",
                  "output1.bleed")
