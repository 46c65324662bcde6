"""The bank of output capacitors behind a filter inductor or a tank: class and count by ripple, the load step and the current they must
carry."""

from functools import partial
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import output
from rhevectra.core.stages import air
from rhevectra.core.stages.banks import LEFT, choose_count, least_bank, record_worn, resistance
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import idle, ripple
from rhevectra.core.topologies.common.outputs import CROSSOVER, cans_for_step, holding, of_pulses, slowest, stated, step_and_life

USED = 0.8
"""Share of its rated voltage an output capacitor is used to (common practice)."""


def _asks(work: Work, need: Any, row: Any, esr: Any, i_c: float, volts: ripple.Swing, crossover: float) -> dict[str, Any]:
    """How many cans of a class each need asks for; row, esr: of one class or of many; crossover: of the loop, as expected [Hz]."""
    return {"ripple current": i_c / row["i_rated_a"], "ripple voltage": volts(esr, LEFT * row["c_f"]) / of_pulses(work, need),
            "load step": cans_for_step(need, row, esr, crossover), "life": i_c / air.carried(work, row)}


def _ripple(sheet: Any, id: str, o: dict[str, Any], esr: Any, c: Any) -> Any:
    """Ripple [V] on a capacitor, as a row or bare numbers: behind an inductor, or of a tank's current."""
    if "t_d" in o:
        return ripple.of_inductor(sheet, id, o["ripple"], o["i_out"], o, o["spread"], esr, c)
    return ripple.of_tank(sheet, id, o["ripple"], o["fs"], esr, c)


def record_bank(work: Work, i_out: Any, o: dict[str, Any], slower: float = 0.0, n: int = 1) -> dict[str, Any]:
    """Choose and record the capacitors; returns the loss of the bleed. o: ripple current into them, the rate fs of its pulses and, behind
    an inductor, how long each rises and falls (t_e, t_d) and the tolerance of their rate (spread); slower: of the slowest loop, as
    `slowest` takes it (0: none is worked out); n: number of the output."""
    sheet, grid = work.sheet, work.grid
    need, table = work.need.outputs[n - 1], work.parts["output_capacitors"]
    full = corners.FULL.mask(grid)
    i_c = float(np.broadcast_to(sheet.rows[f"output{n}.i_c_rms"].value, grid.shape)[full].max())
    fs = float(np.broadcast_to(o["fs"].value, grid.shape)[full].min())
    crossover = slowest(work, fs, slower) if slower else CROSSOVER * fs
    able = holding(work, need, need.magnitude / USED)
    fed = {k: o[k] for k in ("ripple", "fs", "t_e", "t_d", "spread") if k in o} | {"i_out": sheet.rows[f"load.i{n}"]}
    volts = ripple.on_one(work, fed, partial(_ripple, Quick(), ""))
    best, _ = least_bank(work, able, lambda rows, esr: _asks(work, need, rows, esr, i_c, volts, crossover))
    row = table.row(
        work.choose(f"output{n}.cap", best["name"], f"least volume of {len(able)} classes from {need.magnitude / USED:.3g} V").value)
    asks = _asks(work, need, row, resistance(work, row)[0], i_c, volts, crossover)
    count = choose_count(work, f"output{n}", asks, i_c)
    left, esr = record_worn(work, f"output{n}", row, count)
    _ripple(sheet, f"output{n}.ripple_pp", fed, esr, left)
    stated(work, n, f"output{n}.ripple_limit", need.ripple_pp)
    step_and_life(work, o, n, need, row, count, left, esr)
    idle.record(work, n - 1)
    bleed = sheet.given(f"load.bleed{n}", np.asarray(plain(i_out)) - grid.current(n - 1), "A", "rule",
                        "divider and bleed that keep the output loaded when nothing is connected, and the drive of a synchronous rectifier")
    return {f"bleed{n}": sheet(f"loss.bleed{n}", output.output_power, v=sheet.rows.get(f"output{n}.v") or sheet.rows[f"load.v{n}"],
                               i=bleed)}
