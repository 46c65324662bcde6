"""The capacitors before a stage that a dc source feeds: they carry what its pulses are more than their mean."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.sheet import Row
from rhevectra.core.emission import spectrum
from rhevectra.core.formulas import dc_input
from rhevectra.core.formulas.rectifier import resistive_loss
from rhevectra.core.stages import air
from rhevectra.core.stages.banks import LEFT, choose_count, holding, least_bank, record_worn, resistance
from rhevectra.core.stages.dc_input import CAPACITOR
from rhevectra.core.stages.work import Work

DERATED, RIPPLE = 0.8, 0.05
"""Voltage of the source over the rating, and ripple over the lowest input (common practice, no source)."""
KEPT = 8
"""Of so many instants of a waveform one is looked at: some five hundred of a period."""


def record(work: Work, design: Any, ripple: Any) -> dict[str, Row]:
    """Choose and record them; returns their loss. design: all that was sized before; ripple: what the stage takes in a period less its
    average, rms [A]."""
    sheet, need, full = work.sheet, work.need, corners.FULL.mask(work.grid)
    current = sheet.solved("input.i_c_rms", ripple, "A", "rms of what the power stage draws in a period, less its average")
    amps = float(np.broadcast_to(ripple, work.grid.shape)[full].max())
    derate = work.choose("derating.input_v", DERATED, "highest input at most 80 % of the rating (common practice)")
    share = work.choose("input.ripple_spread", RIPPLE, "a twentieth of the lowest input (common practice)")
    limit = sheet("input.ripple_limit", dc_input.admitted, share=share, v_in=need.mains.v_min)
    waves = [_taken(design, v) for v in work.grid.lines]

    def swing(esr: Any, c: Any) -> Array:
        return np.stack([dc_input.swing(*wave, esr, c) for wave in waves])

    def asks(rows: Any, esr: Any) -> dict[str, Any]:
        return {"ripple current": amps / rows["i_rated_a"], "life": amps / air.carried(work, rows),
                "ripple voltage": swing(esr, LEFT * np.asarray(rows["c_f"])).max(0) / float(limit.value)}
    able = holding(work, need.mains.v_max / float(derate.value))
    row = work.parts["output_capacitors"].row(
        work.choose("input.cap", lambda: least_bank(work, able, asks)[0]["name"],
                    f"least volume of {len(able)} classes from {min(r['v_class_v'] for r in able):g} V").value)
    count = choose_count(work, CAPACITOR, asks(row, resistance(work, row)[0]), amps)
    left, esr = record_worn(work, CAPACITOR, row, count)
    sheet.solved("input.ripple_pp", swing(esr.value, left.value)[:, None, None, None], "V",
                 f"what the stage takes at full load, integrated over {len(waves[0][0])} instants of its period", c=left, esr=esr)
    sheet.given("input.v_c", need.mains.v_max, "V", text="requirement: highest input")
    sheet.given("input.v_c_limit", row["v_class_v"] * float(derate.value), "V", "catalogue", f"class {row['name']} × derating")
    air.record_life(work, CAPACITOR, row, count, current)
    new = sheet.given("input.esr_least", row["esr_ohm"] / count, "Ω", "catalogue", f"{count} × {row['name']}, new")
    sheet("input.l_cable", dc_input.cable, esr=new, c=sheet.rows["input.c"], v_in=sheet.rows["bus.v"], power=sheet.rows["bus.p"])
    return {"input_capacitors": sheet("loss.input_capacitors", resistive_loss, r=new, i_rms=current)}


def _taken(design: Any, v_line: float) -> tuple[Array, float]:
    """What the stage takes at full load from an input [V] at even instants [A], and its period [s]."""
    corner = design.grid.find(v_line)
    node, shape = spectrum.waves(design, corner)[:2]
    current, period = spectrum.drawn(design, corner, shape, spectrum.even(node))
    return current[::KEPT], period
