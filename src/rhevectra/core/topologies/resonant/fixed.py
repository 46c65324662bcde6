"""Fixed ratio: the tank runs at its resonance at any bus and load. Its gain is one, the output follows the bus, and the leakage of the
transformer is all the inductance it needs."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.findings import MUST_FIX, NOTE
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import resonant
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.outputs import record_range
from rhevectra.core.topologies.resonant import stage as st
from rhevectra.core.topologies.resonant import tank

FREQUENCY, FIXED = "frequency", "fixed"
EXACT = ("exact period of the lossless tank at each corner, at the fixed frequency; with so little inductance the resistances flatten the "
         "currents, which are a few per cent smaller in the whole circuit; relative miss of the period {:.0e}")
START_MOST = 4.0
"""Start-up frequency over the resonance beyond which no controller goes there (common practice, no source)."""
FIRST_RATIO = 60.0
"""Ratio of inductances the tank is first solved with, before there is a transformer to leak."""
OFF = 0.05
"""By how much the frequency may miss the resonance of a piece whose parts are as they come: what that moves is told."""


def middle(v_low: float, v_top: float) -> float:
    """The bus [V] at which the output is where it is wanted: half way."""
    return 0.5 * (v_low + v_top)


def _resonating(fs: Any, lr: float) -> float:
    """Capacitor [F] that resonates with an inductance [H] at a frequency (a row)."""
    return float(1 / (np.square(2 * np.pi * float(fs.value)) * lr))


def tank_of(work: Work, fs: Any, most: Any) -> dict[str, Any]:
    """Inductances and capacitor [H, F] before the transformer is wound: magnetising inductance by zero voltage alone, no gain asked for."""
    lm = work.sheet("llc.lm", resonant.magnetising_of_share,
                    share=work.sheet.given("llc.lm_share", st.ZERO_VOLTAGE_ROOM, "", "rule",
                                           "room for tolerance of the inductance and of the charge (common practice)"), most=most)
    lr = float(lm.value) / FIRST_RATIO
    return {"lr": lr, "cr": _resonating(fs, lr), "lm": float(lm.value), "fixed": float(fs.value)}


def resonate(work: Work, s: st.Stage, leakage: Any) -> st.Stage:
    """The stage with the capacitor that resonates with what the transformer leaks, running at their resonance."""
    fs, lr = work.sheet.rows["fs"], work.sheet.again("llc.lr", leakage)
    cr = work.choose("llc.cr", lambda: float(at_least(_resonating(fs, float(lr.value)), "E12")),
                     "E12 value at or above what resonates with the leakage at the frequency wanted")
    fr = work.sheet("llc.fr", resonant.series_resonance, lr=lr, cr=cr)
    return replace(s, lr=float(lr.value), cr=float(cr.value), fixed=float(fr.value))


def record_output(work: Work, s: st.Stage, settled: st.Settled, given: Mapping[str, Any]) -> Any:
    """The output voltage at every corner as a row, with what it is held against."""
    sheet, need = work.sheet, work.need.outputs[work.need.main]
    gain = sheet.solved("llc.gain", settled.out["gain"], "", "exact period at the fixed frequency, for the load of the corner")
    drop = sheet.solved("llc.v_drop", settled.out["drop"], "V",
                        "what the resistances of switches, windings and rectifiers take, seen from the primary")
    inputs = {"gain": gain, "share": s.variant.drive, "v_bus": s.v_bus, "drop": drop, "np": given["np"], "ns": given["ns"],
              "v_forward": given["v_forward"]}
    v_out = sheet("output1.v", resonant.fixed_output, **inputs)
    sheet("output1.v_hold", resonant.fixed_output, **{**inputs, "v_bus": sheet.rows["llc.v_hold"]})
    record_range(work, 1, need, v_out)
    return v_out


def findings(work: Work, s: st.Stage, settled: st.Settled) -> None:
    """What a fixed ratio is to be told of: no loop, and what a frequency beside the resonance moves."""
    rows, grid = work.sheet.rows, work.grid
    row = int(np.argmax(np.where(np.broadcast_to(corners.FULL.mask(grid), grid.shape), settled.out["i_tank"], -1.0)))
    p, n = settled.found.point, float(s.np) / float(s.ns)
    both = lambda x: np.full(2, float(x[row]))  # noqa: E731
    off = tank.solve(tank.Point(p.half[row] / np.array([1 - OFF, 1 + OFF]), both(p.load), both(p.gain), both(p.ratio)), "gain")
    v_p = s.variant.drive * float(np.broadcast_to(s.v_bus, grid.shape).reshape(-1)[row])
    if bool((off.miss < st.UNSOLVED).all()):
        moved = ", ".join(f"{(off.point.gain[k] - p.gain[row]) * v_p / n * 1e3:+.0f} mV at {word}"
                          for k, word in enumerate((f"{OFF * 100:.0f} % below", f"{OFF * 100:.0f} % above")))
        work.find(NOTE, "switch", f"no loop: the output follows the bus at {show(float(rows['llc.fr'].value), 'Hz', 3)}, the resonance of "
                  f"leakage and capacitor; trim the frequency to it piece by piece ({moved}, full load)", "output1.v_low", "llc.cr")
    start = float(np.max(rows["llc.f_start"].value))
    if start > START_MOST * float(rows["llc.fr"].value):
        work.find(NOTE, "switch", f"an empty output would ask for {show(start, 'Hz', 2)} to keep the current limit, so little inductance "
                  "there is: let the bus rise with the output, or start with short pulses", "llc.f_start", "")
    if work.need.hold_up > 0 and float(np.min(rows["output1.v_hold"].value)) < float(rows["output1.v_min"].value):
        work.find(MUST_FIX, "rectifier", f"at the end of hold-up, {show(float(rows['llc.v_hold'].value), 'V')} of bus, the output is down "
                  f"to {show(float(np.min(rows['output1.v_hold'].value)), 'V')}: a fixed ratio passes the fall of the bus on",
                  "output1.v_low", "bulk.v_min_stage" if "bulk.v_min_stage" in rows else "llc.v_hold")
