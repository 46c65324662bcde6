"""Choosing rectifiers: diode or synchronous, by loss, voltage, current and heat."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.stages.dies import JUNCTION_SHARE, coolable
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.synchronous import IN_SERIES, SHARED, best, diode_count, evenly, in_parallel

OVERSIZED, SMALL = 10, 30.0
"""Rating of a diode over its output's current beyond which a class is not looked at, and the rating [A] up to which any is (common
practice)."""
SYNCHRONOUS_GAIN, SYNCHRONOUS_LEAST = 0.025, 0.5
"""Share of the output power, and power [W], a synchronous rectifier must save to be worth its controller (common practice, no source)."""


def loaded(work: Work, values: Any) -> Array:
    """Values at full and peak load in run, flattened."""
    grid = work.grid
    return np.broadcast_to(plain(values), grid.shape)[corners.LOADED.mask(grid)]


def choose_rectifiers(work: Work, reverse_of: Callable[[Any], float], all_outputs: bool = True, share: float = 1.0, positions: int = 1,
                      sources: int = 1) -> dict[int, dict[str, Any]]:
    """One rectifier class per output by its number (or only for the regulated one), which blocks reverse_of(output) [V] and its ringing;
    beside a regulated output with a diode the others take diodes too, so that their drops move together. share: of the output's current
    that one stage of several side by side carries; positions: rectifiers that take turns at an output; sources: like windings that feed it,
    each through its own."""
    derate = work.choose("derating.rectifier_v", 0.8, "80 % of the rating (common practice)")
    ringing = work.choose("rectifier.ringing", 0.25, "a quarter for ringing with a snubber (common practice); measure it")
    table, main = work.parts["rectifiers"], work.need.main
    chosen: dict[int, dict[str, Any]] = {}
    for k in (main, *(k for k in range(len(work.need.outputs)) if k != main and all_outputs)):
        out = work.need.outputs[k]
        reverse = (1 + float(ringing.value)) * reverse_of(out)
        tracks = k != main and chosen[main]["row"]["kind"] != "synchronous"
        rows = tuple(r for r in table.rows if not (tracks and r["kind"] == "synchronous"))
        v_class = reverse / float(derate.value)
        series = int(work.choose(f"rectifier{k + 1}.series", partial(_stacked, rows, v_class)).value)
        if series > 1:
            rows = tuple(in_series(r, series) for r in rows if r["kind"] != "synchronous")
            work.find(NOTE, "rectifier", f"{out.name}: {series} rectifiers in series share their voltage with help only: across each a "
                      "resistor that carries several times what they leak hot, and a small capacitor against unlike recovery",
                      f"rectifier{k + 1}.v_reverse", f"rectifier{k + 1}.series")
        amps = share * out.current_max
        name = work.choose(f"rectifier{k + 1}.class",
                           partial(_rectifier, work, rows, out.magnitude, amps, v_class, positions, sources))
        chosen[k] = {"row": in_parallel(work, k, in_series(table.row(name.value), series), amps, positions, sources), "name": name,
                     "reverse": reverse}
    return chosen


def in_series(row: Mapping[str, Any], count: int) -> Mapping[str, Any]:
    """So many of a class in series as one row."""
    if count == 1:
        return row
    return {**row, "series": count, "v_one_v": row["v_class_v"], "v_class_v": count * SHARED * row["v_class_v"],
            "v_forward_v": count * row["v_forward_v"], "r_dynamic_ohm": count * row["r_dynamic_ohm"],
            "q_gate_c": count * row["q_gate_c"], "r_junction_case_k_w": row["r_junction_case_k_w"] / count}


def used(rows: Mapping[str, Any], n: int) -> int:
    """Rectifiers of output n at each of their positions: side by side and in series."""
    return int(rows[f"rectifier{n}.parallel"].value) * int(rows[f"rectifier{n}.series"].value)


def _stacked(rows: Sequence[Mapping[str, Any]], v_class: float) -> tuple[int, str, tuple[str, ...]]:
    """How many in series hold a voltage [V], and why."""
    highest = max(r["v_class_v"] for r in rows)
    if highest >= v_class:
        return 1, "a class holds it alone", ()
    enough = (s for s in range(2, IN_SERIES + 1) if s * SHARED * highest >= 1.02 * v_class)
    return next(enough, IN_SERIES), (f"no class holds {show(v_class, 'V')} alone; of one lot and balanced, each counted with "
                                     f"{SHARED * 100:g} % of its voltage (common practice, no source)"), ()


def _rectifier(work: Work, rows: Sequence[Mapping[str, Any]], volts: float, amps: float, v_class: float, positions: int,
               sources: int) -> tuple[str, str, tuple[str, ...]]:
    """The rectifier of least loss whose voltage, current and heat suffice; a synchronous one only where it earns its controller."""
    fs = float(work.choose.pins.get("fs", 100e3))
    counts = {r["name"]: evenly(best(r, amps, volts, fs, positions)[0], sources) if r["kind"] == "synchronous"
              else diode_count(r, amps, positions, sources) for r in rows if r["v_class_v"] >= 1.02 * v_class}
    able = [r for r in rows if r["name"] in counts and 2 * amps <= counts[r["name"]] * r["i_rated_a"]
            and (r["kind"] == "synchronous" or (r["i_rated_a"] <= max(OVERSIZED * amps, SMALL) and counts[r["name"]] == sources))]
    able = able or [r for r in rows
                    if r["kind"] != "synchronous" and counts.get(r["name"], 0) > sources]  # several diodes only where no single one does
    if not able:
        holds = [r for r in rows if r["v_class_v"] >= v_class]
        if not holds:
            highest = max(rows, key=lambda r: (r["v_class_v"], r["i_rated_a"]))
            return highest["name"], f"no class holds {show(v_class, 'V')}; the highest is taken", ()
        return (max(holds, key=lambda r: r["i_rated_a"])["name"],
                f"no class above {show(v_class, 'V')} carries twice the current; the largest is taken", ())
    loss = {r["name"]: r["v_forward_v"] * amps + r["r_dynamic_ohm"] / counts[r["name"]] * (1.5 * amps) ** 2 for r in able}
    room = {r["name"]: (JUNCTION_SHARE * r["t_junction_max_c"] - work.need.ambient_max) / loss[r["name"]] - r["r_junction_case_k_w"]
            / counts[r["name"]] for r in able}
    cool = [r for r in able if room[r["name"]] >= coolable(work.need.cooling)] or able
    diodes, switches = ([r for r in cool if (r["kind"] == "synchronous") == wanted] for wanted in (False, True))
    least = [min((loss[r["name"]] for r in kind), default=np.inf) for kind in (diodes, switches)]
    synchronous = bool(switches and (not diodes or least[0] - least[1] > max(SYNCHRONOUS_GAIN * volts * amps, SYNCHRONOUS_LEAST)))
    field = switches if synchronous else diodes
    pick = min((r for r in field if loss[r["name"]] <= 1.15 * least[synchronous]),
               key=lambda r: (counts[r["name"]], r["v_class_v"], r["i_rated_a"]))
    why = f"least loss of {len(field)} classes above {show(v_class, 'V')} and twice the current"
    if synchronous:
        why += f"; synchronous: it saves {show(least[0] - least[1], 'W')}" if diodes else "; no diode of these can be cooled"
    others = sorted((r for r in able if r is not pick), key=lambda r: loss[r["name"]])
    return pick["name"], why, tuple(f"{r['name']}: {show(loss[r['name']], 'W', 3)}, may have {room[r['name']]:.1f} K/W" for r in others[:6])
