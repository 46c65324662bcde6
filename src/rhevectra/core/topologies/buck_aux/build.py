"""From bus and requirement to the real step-down converter: switch, diode, inductor, limit."""

from collections.abc import Mapping
from types import ModuleType
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Quick
from rhevectra.core.formulas import buck, magnetics
from rhevectra.core.magnetics.inductor import InductorChoice, InductorNeed
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages.dies import choose_die
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.buck_aux import stage as st
from rhevectra.core.topologies.common import divider, idle, least_filter, sensing
from rhevectra.core.topologies.common.chokes import choke_core, choose_choke, current_limit
from rhevectra.core.topologies.common.rectifiers import choose_rectifiers, loaded

SKIPPED = 0.25
"""Share of the full-load pulse below which pulses are left out."""
C_WINDING = 15e-12
"""Capacitance of inductor and node beside the switch's [F] (common practice, no source)."""
BLANKING, DELAY = 200e-9, 150e-9
"""Leading-edge blanking and delay of the limit where a high bus asks for short pulses [s] (common practice, no source)."""
USUAL, LOWEST, STEP, DROP = 65e3, 25e3, 5e3, 0.7
"""Usual and lowest frequency of the rule and its steps [Hz]; drop of the diode [V]."""


def frequency(volts: float, v_top: float) -> tuple[float, str]:
    """Switching frequency [Hz] by rule and why, for an output and its diode [V] from a highest bus [V]: lower where the pulse would be
    shorter than can be made."""
    most = volts / v_top / (1.05 * (BLANKING + DELAY))
    if most >= USUAL:
        return USUAL, "65 kHz: the pulse from a high bus is short already, and the charge of the node costs each time"
    return (max(STEP * (most // STEP), LOWEST),
            f"at {show(USUAL, 'Hz')} the pulse from {show(v_top, 'V')} would be {show(volts / v_top / USUAL, 's')}, shorter than blanking "
            "and delay of the limit leave")


class Plan(Struct, frozen=True):
    """All that was chosen, and the power stage it makes."""

    stage: st.Stage
    switch: Mapping[str, Any]
    rectifiers: Mapping[int, dict[str, Any]]
    window: Windows
    choke: InductorChoice
    choke_need: InductorNeed
    state: dict[str, Any]
    change: float


def build(work: Work, v_bus: Any, clamp: ModuleType) -> Plan:
    """All choices of the power stage for a known bus."""
    need, grid, choose, sheet = work.need, work.grid, work.choose, work.sheet
    main: Any = need.outputs[need.main]
    v_top, v_low = float(np.max(v_bus)), float(loaded(work, v_bus).min())
    i_full = max(main.current_peak, main.current_max)
    fs = choose("fs", *frequency(main.magnitude + DROP, v_top))
    choose("switch.duty_limit", 0.85, "what the supply of the floating gate leaves of the period")

    def loss(r: Mapping[str, Any]) -> float:
        return float(
            r["r_on_25_ohm"] * r["hot_ratio"] * main.magnitude / v_low * i_full**2
            + (0.5 * (r["c_energy_f"] + C_WINDING) * v_top**2 + 0.25 * v_top * i_full * r["t_fall_s"]) * float(fs.value))
    row = choose_die(work, v_top, "the bus reaches", "the highest bus", 1.6 * i_full, loss)
    rectifiers = choose_rectifiers(work, lambda out: v_top, all_outputs=False)
    rect = rectifiers[need.main]["row"]
    share = choose("filter1.ripple_ratio", 0.6, "school: a small inductor; the textbook third doubles it")
    wanted = sheet("filter1.l_wanted", buck.inductance, v_out=main.magnitude, v_forward=rect["v_forward_v"],
                   v_bus=sheet.given("bus.v_top", max(v_top, 1.05 * (main.magnitude + rect["v_forward_v"])), "V", "solved", "highest bus"),
                   fs=fs, ripple_ratio=share, i_out=main.current_max)
    inductance = choose("filter1.l", lambda: float(f"{float(wanted.value):.2g}"),
                        "from the ripple ratio at the highest bus, rounded to two digits", wanted=wanted)
    law = str(choose("light_load", "skip", "pulses are left out below a quarter of the full-load pulse: least light-load loss").value)
    pulse = (main.magnitude + rect["v_forward_v"]) / v_top / float(fs.value)
    floor, t_floor = {"skip": (0.0, SKIPPED * pulse), "foldback": (22e3, SKIPPED * pulse), "fixed": (float(fs.value), 0.0)}[law]
    p_ctl = float(choose("aux.v", 12.0, "from the output, through a diode, or a floating supply of its own").value) * float(
        choose("aux.i", lambda: 1.5e-3 + row["q_gate_c"] * float(fs.value), "controller and gate charge (common practice)").value)
    grade = work.parts["materials"].row(
        choose("filter1.material", lambda: "PW2" if float(fs.value) < 50e3 else "PW3" if float(fs.value) < 300e3 else "PW4",
               "class whose frequency band holds the switching frequency").value)
    tiny = {"turns": 1.0, "area": 1.0, "volume": 1e-9, "core": grade,
            "kappa": float(magnetics.igse_constant(grade["loss_alpha"], grade["loss_beta"])), "temperature": 100.0, "eddy": 0.0}
    stage = st.Stage(v_bus=v_bus,
                     i_out=np.broadcast_to(idle.load(work, need.main, divider.current(work)) + idle.bleed(work, need.main, law != "fixed"),
                                           grid.shape), v_out=main.magnitude, v_forward=rect["v_forward_v"], r_diode=rect["r_dynamic_ohm"],
                     r_inductor=0.01 * main.magnitude / main.current_max,
                     r_switch=row["r_on_25_ohm"] * row["hot_ratio"], inductance=float(inductance.value), fs=float(fs.value), f_floor=floor,
                     t_floor=t_floor, c_node=row["c_energy_f"] + C_WINDING, t_fall=row["t_fall_s"], t_recovery=rect["t_recovery_s"],
                     limit={"i_limit": 1e3, "tolerance": 0.0, "t_delay": 0.0},
                     is_limit=grid.where(lambda p: p.case == "limit") & np.ones(grid.shape, bool), choke=tiny, p_controller=p_ctl)
    peak = float(loaded(work, least_filter.peak(Quick(), st.solve(stage).out, least_filter.choose(work))[0]).max())
    limit = current_limit(work, peak, DELAY, "comparator, logic and gate; a short pulse from a high bus leaves no more (common practice)")
    stage = replace(stage, limit=limit,
                    r_sense=sensing.choose(work, limit["i_limit"], float(loaded(work, st.solve(stage).out["i_switch"]).max())))
    win = work.parts["cores"].derived(windows)
    choose("derating.flux", 0.85, "85 % of hot saturation (common practice)")
    rise = choose("filter1.rise_max", 45.0, "class of insulation and of neighbours (common practice)")
    choke_need, choke = choose_choke(work, float(stage.inductance), float(stage.fs), st.solve(stage).out, grade, win, float(rise.value),
                                     float(np.max(buck.limit_current(v_up=v_bus, inductance=stage.inductance, **stage.limit))))
    return Plan(replace(stage, r_inductor=choke.resistance, choke=choke_core(work, choke, win, grade)), row, rectifiers, win, choke,
                choke_need, {}, np.inf)
