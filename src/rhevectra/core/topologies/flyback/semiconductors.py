"""Choosing the semiconductors of a flyback and its reflected voltage."""

from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import plain
from rhevectra.core.stages.work import Work

SYNCHRONOUS_GAIN, SYNCHRONOUS_LEAST = 0.02, 0.5
"""Share of the output power, and power [W], a synchronous rectifier must save to be worth its controller (common practice, no source)."""
JUNCTION_SHARE, COOLABLE = 0.85, 3.0
"""Share of the junction limit used, and the case-to-ambient resistance [K/W] below which forced air or the chassis is needed (common practice)."""
CLAMP_ROOM = 1.9
"""Clamp voltage over reflected voltage when the class decides: a roomy clamp burns little (classic school 2 to 2.5)."""


def loaded(work: Work, values: Any) -> Array:
    """Values at full and peak load in run, flattened."""
    grid = work.grid
    return np.broadcast_to(plain(values), grid.shape)[corners.LOADED.mask(grid)]


def choose_switch(work: Work, v_top: float, v_low: float, power: float) -> dict[str, Any]:
    """Switch class and what its voltage leaves. The voltage class first, then the die by loss."""
    derate = work.choose("derating.switch_v", 0.80, "80 % of the rating (common practice)")
    duty_limit = work.choose("switch.duty_limit", 0.65, "controller with slope compensation")
    reach = v_low * 0.9 / (1 - 0.9 * float(duty_limit.value)) * 0.9 * float(duty_limit.value)
    table = work.parts["switches"]

    def rule() -> tuple[str, str, tuple[str, ...]]:
        rows = sorted(table.where(kind="discrete").rows, key=lambda r: r["v_class_v"])
        wanted, refused = min(0.7 * reach, 75.0), []
        classes = sorted({r["v_class_v"] for r in rows})
        room = {v: (derate.value * v - v_top - 1) / 1.04 / CLAMP_ROOM for v in classes}
        v_class = next((v for v in classes if room[v] >= wanted), classes[-1])
        refused += [f"{v:g} V: leaves {show(max(room[v], 0), 'V')} reflected voltage, {show(wanted, 'V')} wanted" for v in classes if v < v_class and v > v_top]
        i_rms, i_peak = power / v_low / np.sqrt(0.45 * 3) * 1.25, 3.0 * power / v_low / 0.9
        dies = [r for r in rows if r["v_class_v"] == v_class]
        fs = float(work.choose.pins.get("fs", 65e3))
        loss = {r["name"]: r["r_on_25_ohm"] * r["hot_ratio"] * i_rms**2 + (0.5 * (r["c_energy_f"] + 40e-12) * v_top**2 + 0.5 * v_top * 0.3 * i_peak * r["t_fall_s"]) * fs for r in dies}
        good = [r for r in dies if r["i_max_a"] >= i_peak] or [max(dies, key=lambda r: r["i_max_a"])]
        least = min(loss[r["name"]] for r in good)
        pick = max((r for r in good if loss[r["name"]] <= 1.25 * least), key=lambda r: r["r_on_25_ohm"])
        return pick["name"], f"lowest voltage class that leaves {show(wanted, 'V')} reflected; largest die resistance within a quarter of the least loss", tuple(refused)

    name = work.choose("switch.class", rule)
    row = table.row(name.value)
    work.sheet.given("switch.v_class", row["v_class_v"], "V", "catalogue", f"class {name.value}")
    work.sheet.given("switch.v_limit", row["v_class_v"] * float(derate.value), "V", "rule", f"{row['v_class_v']:g} V × derating {float(derate.value):g}")
    return {"row": row, "derate": derate, "duty_limit": duty_limit, "reach": reach, "integrated": row["kind"] == "integrated"}


def reflected(work: Work, switch: Mapping[str, Any], v_top: float) -> float:
    """Reflected voltage [V]: what the class leaves, or what the duty limit allows at the valley."""
    budget = (float(switch["derate"].value) * switch["row"]["v_class_v"] - v_top - 1) / 1.04
    by_class, by_duty = max(budget / CLAMP_ROOM, 2.0), float(switch["reach"])
    deciding = "what the switch class leaves after derating" if by_class < by_duty else "the duty limit at the valley"
    row = work.choose("flyback.v_or", lambda: float(f"{min(by_class, by_duty, 400.0):.3g}"), f"{deciding}: class {show(by_class, 'V')}, duty {show(by_duty, 'V')}; clamp {CLAMP_ROOM:g} × reflected")
    return float(row.value)


def choose_rectifiers(work: Work, v_or: float, v_top: float) -> list[dict[str, Any]]:
    """One rectifier class per output; beside a regulated output with a diode the others take diodes too, so that their drops move together."""
    derate = work.choose("derating.rectifier_v", 0.8, "80 % of the rating (common practice)")
    ringing = work.choose("rectifier.ringing", 0.25, "a quarter for ringing with a snubber (common practice); measure it")
    table, main = work.parts["rectifiers"], work.need.main
    chosen: dict[int, dict[str, Any]] = {}
    for k in (main, *(k for k in range(len(work.need.outputs)) if k != main)):
        out = work.need.outputs[k]
        reverse = (1 + float(ringing.value)) * (out.magnitude + v_top * (out.magnitude + 0.6) / v_or)
        tracks = k != main and chosen[main]["row"]["kind"] != "synchronous"
        rows = tuple(r for r in table.rows if not (tracks and r["kind"] == "synchronous"))
        name = work.choose(f"rectifier{k + 1}.class", partial(_rectifier, work, rows, out, reverse / float(derate.value)))
        chosen[k] = {"row": table.row(name.value), "name": name, "reverse": reverse}
    return [chosen[k] for k in range(len(work.need.outputs))]


def _rectifier(work: Work, rows: Sequence[Mapping[str, Any]], out: Any, v_class: float) -> tuple[str, str, tuple[str, ...]]:
    """The rectifier of least loss whose voltage, current and heat suffice; a synchronous one only where it earns its controller."""
    able = [r for r in rows if r["v_class_v"] >= 1.02 * v_class and r["i_rated_a"] >= 2 * out.current_max]
    if not able:
        best = max(rows, key=lambda r: (r["v_class_v"] >= v_class) * r["i_rated_a"])
        return best["name"], "no class meets both voltage and current; the largest is taken", ()
    loss = {r["name"]: r["v_forward_v"] * out.current_max + r["r_dynamic_ohm"] * (1.5 * out.current_max) ** 2 for r in able}
    room = {r["name"]: (JUNCTION_SHARE * r["t_junction_max_c"] - work.need.ambient_max) / loss[r["name"]] - r["r_junction_case_k_w"] for r in able}
    cool = [r for r in able if room[r["name"]] >= COOLABLE] or able
    diodes, switches = ([r for r in cool if (r["kind"] == "synchronous") == wanted] for wanted in (False, True))
    least = [min((loss[r["name"]] for r in kind), default=np.inf) for kind in (diodes, switches)]
    synchronous = bool(switches) and (not diodes or least[0] - least[1] > max(SYNCHRONOUS_GAIN * out.magnitude * out.current_max, SYNCHRONOUS_LEAST))
    field = switches if synchronous else diodes
    pick = min((r for r in field if loss[r["name"]] <= 1.15 * least[synchronous]), key=lambda r: (r["v_class_v"], r["i_rated_a"]))
    why = f"least loss of {len(field)} classes above {show(v_class, 'V')} and twice the current"
    if synchronous:
        why += f"; synchronous: it saves {show(least[0] - least[1], 'W')}" if diodes else "; no diode of these can be cooled"
    others = sorted((r for r in able if r is not pick), key=lambda r: loss[r["name"]])
    return pick["name"], why, tuple(f"{r['name']}: {show(loss[r['name']], 'W', 3)}, may have {room[r['name']]:.1f} K/W" for r in others[:6])
