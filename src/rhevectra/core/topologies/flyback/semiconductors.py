"""Choosing the switch of a flyback and its reflected voltage."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.stages import beside
from rhevectra.core.stages.dies import PULSED, pick_die
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import low
from rhevectra.core.topologies.common.least_bus import asked
from rhevectra.core.topologies.flyback.variant import Variant

AT_LIMIT = 1.9, 2.3
"""Largest current at the limit over the mean while the switch is on, with the usual ripple and at the boundary of conduction: ripple,
tolerance and delay, estimated."""
HELD_SHARE = 0.76
"""Reflected voltage aimed at over the least bus, where two switches are held to it; drops and whole turns add a little."""
CLAMP_SWITCH_SHARE = 0.01
"""Share of the output that the clamp switch may burn, estimated (common practice, no source)."""

USUAL_FS = 65e3


def usual_rate(need: Requirement, parts: Catalogue) -> tuple[float, str]:
    """The fixed frequency [Hz] by rule, and why."""
    return low.usual(need, parts, (USUAL_FS, "65 kHz keeps the second harmonic below the 150 kHz limit line"), low.ONE_WAY)


def choose_switch(work: Work, v: Variant, v_top: float, v_low: float, power: float) -> dict[str, Any]:
    """Switch class and what its voltage leaves. The voltage class first, then the die by loss."""
    derate = work.choose("derating.switch_v", 0.80, "80 % of the rating (common practice)")
    duty_limit = work.choose("switch.duty_limit",
                             *((0.48, "below a half: the reflected voltage stays below the bus, and the leakage finds its way back")
                               if v.held else (0.65, "controller with slope compensation")))
    room_wanted = 1.0 if v.clamp is None else v.clamp.ROOM
    reach = v_low * 0.9 / (1 - 0.9 * float(duty_limit.value)) * 0.9 * float(duty_limit.value)
    if v.held:
        reach = min(reach, HELD_SHARE * asked(work, v_low))
    table = work.parts["switches"]

    def leaves(v_class: float) -> float:
        """Reflected voltage [V] that is left of a class, below nothing where the bus is above it."""
        return float((derate.value * v_class - v_top - 1) / 1.04 / room_wanted)

    def reflects(v_class: float) -> float:
        """The same, as far as the duty limit lets it, and some in any case."""
        return max(min(leaves(v_class), reach), 1.0)

    fs = float(work.choose.pins.get("fs", usual_rate(work.need, work.parts)[0]))

    def loss_of(v_class: float) -> Callable[[Mapping[str, Any]], float]:
        i_rms, i_peak = power / v_low / np.sqrt(0.45 * 3) * 1.25, peak_of(v_class)
        return lambda r: float(
            r["r_on_25_ohm"] * r["hot_ratio"] * i_rms**2
            + (0.5 * (r["c_energy_f"] + 40e-12) * v_top**2 + 0.5 * v_top * 0.3 * i_peak * r["t_fall_s"]) * fs)

    def peak_of(v_class: float) -> float:
        return float((2.4 * (1 + v_low / reflects(v_class)) if v.valley else 3.0) * power / v_low / 0.9)

    def at_limit(v_class: float) -> float:
        return float(AT_LIMIT[v.valley] * power / v_low * (1 + v_low / (reach if v.held else reflects(v_class))))

    def rule() -> tuple[str, str, tuple[str, ...]]:
        rows = sorted((r for r in beside.offered(work) if r["kind"] == "discrete"), key=lambda r: r["v_class_v"])
        wanted = 0.0 if v.held else min(0.7 * reach, 75.0)
        classes = sorted({r["v_class_v"] for r in rows})
        room = {c: leaves(c) for c in classes}
        v_class = next((c for c in classes if room[c] >= wanted), classes[-1])
        refused = [f"{c:g} V: {show(derate.value * c, 'V')} after derating, the bus reaches {show(v_top, 'V')}" if v.held
                   else f"{c:g} V: leaves {show(max(room[c], 0), 'V')} reflected voltage, {show(wanted, 'V')} wanted" for c in classes
                   if c < v_class and (v.held or c > v_top)]
        name, why, heavier = pick_die(rows, v_class, "holds the bus" if v.held else f"leaves {show(wanted, 'V')} reflected",
                                      peak_of(v_class), at_limit(v_class), loss_of(v_class))
        return name, why, (*refused, *heavier)

    name = work.choose("switch.class", rule)
    v_class = table.row(name.value)["v_class_v"]
    row = beside.choose(work, table.row(name.value), loss_of(v_class), 0.0 if work.choose.pinned("switch.class") else at_limit(v_class))
    work.sheet.given("switch.v_class", v_class, "V", "catalogue", f"class {name.value}")
    work.sheet.given("switch.v_limit", v_class * float(derate.value), "V", "rule",
                     f"{v_class:g} V × derating {float(derate.value):g}")
    return {"row": row, "derate": derate, "duty_limit": duty_limit, "reach": reach, "integrated": row["kind"] == "integrated"}


def reflected(work: Work, v: Variant, switch: Mapping[str, Any], v_top: float) -> float:
    """Reflected voltage [V]: what the class leaves, or what the duty limit allows at the valley."""
    if v.held:
        by_duty = float(switch["reach"])
        return float(work.choose("flyback.v_or", lambda: float(f"{min(by_duty, 400.0):.3g}"),
                                 f"the duty limit at the valley and the bus at the end of hold-up leave {show(by_duty, 'V')}; "
                                 "the diodes hold the switches to the bus whatever it is").value)
    assert v.clamp is not None
    budget = (float(switch["derate"].value) * switch["row"]["v_class_v"] - v_top - 1) / 1.04
    by_class, by_duty = max(budget / v.clamp.ROOM, 2.0), float(switch["reach"])
    deciding = "what the switch class leaves after derating" if by_class < by_duty else "the duty limit at the valley"
    row = work.choose("flyback.v_or", lambda: float(f"{min(by_class, by_duty, 400.0):.3g}"),
                      f"{deciding}: class {show(by_class, 'V')}, duty {show(by_duty, 'V')}; clamp {v.clamp.ROOM:g} × reflected")
    return float(row.value)


def clamp_switch(work: Work, switch: Mapping[str, Any], v_or: float, v_low: float, power: float) -> float:
    """Node capacitance [F] that the clamp switch adds; its class is chosen by an estimate of its rms current, its hot resistance
    recorded."""
    table = work.parts["switches"]
    i_peak, duty = 1.4 * power / v_low * (1 + v_low / v_or), v_or / (v_or + v_low)
    i_rms = i_peak * float(np.sqrt((1 - duty) / 3))

    def rule() -> str:
        dies = [r for r in table.where(kind="discrete").rows if r["v_class_v"] == switch["row"]["v_class_v"]] or [switch["row"]]
        cool = [r for r in dies if r["r_on_25_ohm"] * r["hot_ratio"] * i_rms**2 <= CLAMP_SWITCH_SHARE * power
                and PULSED * r["i_max_a"] >= i_peak]
        return str(max(cool, key=lambda r: r["r_on_25_ohm"])["name"] if cool else min(dies, key=lambda r: r["r_on_25_ohm"])["name"])

    row = table.row(work.choose("clamp.switch", rule, "voltage class of the main switch; largest die that burns at most "
                                f"{CLAMP_SWITCH_SHARE * 100:g} % of the output at an estimated {show(i_rms, 'A')}").value)
    work.sheet.given("clamp.r_hot", row["r_on_25_ohm"] * row["hot_ratio"], "Ω", "catalogue",
                     f"hot: {row['r_on_25_ohm']:g} Ω × {row['hot_ratio']:g}")
    return float(row["c_energy_f"])
