"""How many synchronous switches stand side by side and what drives them, by loss over the load rather than by their rated current."""

from collections.abc import Mapping
from functools import partial
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Grid
from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas import synchronous as sync
from rhevectra.core.stages.dies import record_most_loaded
from rhevectra.core.stages.work import Work

LOADS = (0.1, 0.25, 0.5, 1.0)
"""Loads whose mean loss decides."""
MOST, GATES = 6, (5.0, 8.0, 10.0, 12.0)
SAVES = 0.25
"""Mean loss [W] a further switch has to save to be worth its place (common practice, no source)."""


DIODES_MOST, UNEVEN = 3, 0.8
"""Diodes side by side, at most, and what each of several is counted with of its rating: they do not share a current by themselves (common
practice, no source)."""


IN_SERIES, SHARED = 4, 0.8
"""Rectifiers in series, at most, and what each of several is counted with of its voltage (common practice, no source)."""


ASLEEP = 0.2e-3
"""Supply current [A] of a synchronous rectifier's controller that sleeps between rare pulses (typical, from memory)."""


def driven(grid: Grid, supply: float, charge: float, fs: float, sleeps: bool) -> Any:
    """What controller and gates of synchronous rectifiers take from an output [A] at each corner, nothing where there are none. supply: of
    the controller [A]; charge: of the gates in a period [C]; sleeps: whether pulses are left out at no load."""
    if not charge:
        return 0.0
    awake = supply + charge * fs
    return np.where(grid.unloaded & sleeps, min(ASLEEP, awake), awake)


def mean_losses(row: Mapping[str, Any], amps: float, volts: float, fs: float, positions: int, counts: Array, v_gates: Array) -> Array:
    """Mean over LOADS [W] of what each number of a class loses at each gate voltage, all positions of the output: (counts, v_gates)."""
    count = np.asarray(counts)[:, None]
    r, q = (sync.resistance(row["r_dynamic_ohm"], sync.CHANNEL, sync.THRESHOLD, v_gates, count),
            sync.gate_charge(count, row["q_gate_c"], v_gates, volts))
    return np.asarray(sum(sync.loss(k, amps, r, positions, q, volts, fs) for k in LOADS) / len(LOADS))


def mean_loss(row: Mapping[str, Any], amps: float, volts: float, fs: float, positions: int, count: int, v_gate: float) -> float:
    """The same of one number at one gate voltage."""
    return float(mean_losses(row, amps, volts, fs, positions, np.array([count]), np.array([v_gate]))[0, 0])


def best(row: Mapping[str, Any], amps: float, volts: float, fs: float, positions: int,
         gates: tuple[float, ...] = GATES) -> tuple[int, float]:
    """Number and gate voltage: switches are added as long as each saves enough; never fewer than twice the current asks."""
    least = min(max(int(np.ceil(2 * amps / row["i_rated_a"] - 1e-9)), 1), MOST)
    losses = mean_losses(row, amps, volts, fs, positions, np.arange(least, MOST + 1), np.array(gates))
    each, n = losses.min(1), 0
    while n + 1 < len(each) and each[n] - each[n + 1] > SAVES:
        n += 1
    return least + n, gates[int(losses[n].argmin())]


def evenly(count: int, sources: int) -> int:
    """So many or more that each of the windings which feed an output has as many."""
    return -(-count // sources) * sources


def diode_count(row: Mapping[str, Any], amps: float, positions: int, sources: int = 1) -> int:
    """Diodes of a class for the current of an output [A] that so many positions share, as many at each of its sources: more than one only
    where one does not do for twice the output's, three at most, for twice that of a position; one where three do not either."""
    alone = 2 * amps <= sources * row["i_rated_a"]
    enough = (n for n in range(2, DIODES_MOST + 1) if 2 * amps / positions <= UNEVEN * n * sources * row["i_rated_a"])
    return sources if alone else sources * next(enough, 1)


def in_parallel(work: Work, output: int, row: Mapping[str, Any], amps: float, positions: int, sources: int = 1) -> dict[str, Any]:
    """The class as it is used at an output (by its number, from 0): those side by side at their gate voltage as one row, with its label;
    decisions recorded. sources: like windings that feed the output, each through its own."""
    volts, fs, switched = work.need.outputs[output].magnitude, float(work.choose.pins.get("fs", 100e3)), row["kind"] == "synchronous"
    pinned = work.choose.pins.get("rectifier.v_gate")
    found = best(row, amps, volts, fs, positions, (float(pinned),) if pinned else GATES) if switched else (1, sync.FULL_DRIVE)
    beside = diode_count(row, amps, positions, sources)
    alone = (f"no single one carries it; dies of one package or leads alike, each counted with {UNEVEN * 100:g} % of its rating (common "
             "practice, no source)" if beside > sources else "diodes do not share a current by themselves" if sources == 1
             else f"one for each of {sources} secondaries, which share the current")
    count = int(work.choose(f"rectifier{output + 1}.parallel",
                            partial(_counted, row, amps, volts, fs, positions, found, sources) if switched else beside, alone).value)
    if count % sources:
        work.find(LOOK_AT, "rectifier", f"{count} rectifiers at {sources} secondaries: each needs as many of its own",
                  f"rectifier{output + 1}.loss", f"rectifier{output + 1}.parallel")
    stack = row.get("series", 1)
    alone = f"{stack} {row['name']} in series" if stack > 1 else row["name"]
    label = f"{count} × {alone}" if count > 1 else alone
    together = {**row, "label": label, "i_rated_a": row["i_rated_a"] * count, "r_junction_case_k_w": row["r_junction_case_k_w"] / count,
                "i_one_a": row["i_rated_a"], "count": count, "beside": count // sources}
    if not switched:
        return {**together, "r_dynamic_ohm": row["r_dynamic_ohm"] / count, "said": f"class {label}" + (
            f", each counted with {SHARED * 100:g} % of its voltage" if stack > 1 else "")}
    v_gate = float((work.sheet.rows.get("rectifier.v_gate") or work.choose("rectifier.v_gate", found[1], "least mean loss over the load: a "
        "lower one drives cheaper, a higher one conducts better")).value)
    return {**together, "r_dynamic_ohm": float(sync.resistance(row["r_dynamic_ohm"], sync.CHANNEL, sync.THRESHOLD, v_gate, count)),
            "q_gate_c": float(sync.gate_charge(count, row["q_gate_c"], v_gate, volts)),
            "said": f"class {label} at {v_gate:g} V of gate (channel's share and threshold typical, from memory)"}


def record_most(work: Work, name: str, row: Mapping[str, Any], rms: Any) -> None:
    """What the most loaded of synchronous switches side by side carries, where there are several. rms: row of all of them together [A];
    transformers that feed them share by themselves."""
    if row["kind"] != "synchronous" or row["beside"] < 2:
        return
    record_most_loaded(work, "rectifier.r_spread", f"{name}.", row["beside"], rms, row["count"])
    work.sheet.given(f"{name}.i_one", row["i_one_a"], "A", "catalogue", f"continuous current of one {row['name']}")


def _counted(row: Mapping[str, Any], amps: float, volts: float, fs: float, positions: int, found: tuple[int, float],
             sources: int) -> tuple[int, str, tuple[str, ...]]:
    """The rule's number with the mean losses of the numbers beside it."""
    n, v = evenly(found[0], sources), found[1]
    others = tuple(f"{k}: {show(mean_loss(row, amps, volts, fs, positions, k, v), 'W')} in the mean of "
                   f"{', '.join(f'{x * 100:g}' for x in LOADS)} % load" for k in range(max(n - 2, 1), n + 3)
                   if k != n and k <= max(MOST, n))
    return (n, f"{show(mean_loss(row, amps, volts, fs, positions, n, v), 'W')} in the mean over the load; "
            + (f"as many at each of {sources} secondaries" if sources > 1 else f"a further one saves less than {show(SAVES, 'W')}"
               if n < MOST else f"{MOST} at most"), others)
