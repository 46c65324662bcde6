"""From bus and requirement to the real step-down converter: switch, diode, inductor, limit."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from types import ModuleType
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.formulas import buck, magnetics
from rhevectra.core.magnetics.inductor import InductorChoice, InductorNeed, choose_inductor
from rhevectra.core.magnetics.windows import Windows, windows
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.buck_aux import stage as st
from rhevectra.core.topologies.common.dies import choose_die
from rhevectra.core.topologies.common.rectifiers import choose_rectifiers, loaded

FLUX_ROOM, SKIPPED = 1.01, 0.25
"""Room in the inductor's current for what the bus still moves; share of the full-load pulse below which pulses are left out."""
C_WINDING = 15e-12
"""Capacitance of inductor and node beside the switch's [F] (common practice, no source)."""


@dataclass(frozen=True)
class Plan:
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
    fs = choose("fs", 65e3, "65 kHz: the pulse from a high bus is short already, and the charge of the node costs each time")
    duty_limit = choose("switch.duty_limit", 0.85, "what the supply of the floating gate leaves of the period")

    def loss(r: Mapping[str, Any]) -> float:
        return float(r["r_on_25_ohm"] * r["hot_ratio"] * main.magnitude / v_low * i_full**2 + (0.5 * (r["c_energy_f"] + C_WINDING) * v_top**2 + 0.25 * v_top * i_full * r["t_fall_s"]) * float(fs.value))
    row = choose_die(work, v_top, "the bus reaches", "the highest bus", 1.6 * i_full, loss)
    rectifiers = choose_rectifiers(work, lambda out: v_top, all_outputs=False)
    rect = rectifiers[need.main]["row"]
    share = choose("filter1.ripple_ratio", 0.6, "school: a small inductor; the textbook third doubles it")
    wanted = sheet("filter1.l_wanted", buck.inductance, v_out=main.magnitude, v_forward=rect["v_forward_v"], v_bus=sheet.given("bus.v_top", max(v_top, 1.05 * (main.magnitude + rect["v_forward_v"])), "V", "solved", "highest bus"), fs=fs, ripple_ratio=share, i_out=main.current_max)
    inductance = choose("filter1.l", lambda: float(f"{float(wanted.value):.2g}"), "from the ripple ratio at the highest bus, rounded to two digits", wanted=wanted)
    law = str(choose("light_load", "skip", "pulses are left out below a quarter of the full-load pulse: least light-load loss").value)
    pulse = (main.magnitude + rect["v_forward_v"]) / v_top / float(fs.value)
    floor, t_floor = {"skip": (0.0, SKIPPED * pulse), "foldback": (22e3, SKIPPED * pulse), "fixed": (float(fs.value), 0.0)}[law]
    p_ctl = float(choose("aux.v", 12.0, "from the output, through a diode, or a floating supply of its own").value) * float(choose("aux.i", lambda: 1.5e-3 + row["q_gate_c"] * float(fs.value), "controller and gate charge (common practice)").value)
    grade = work.parts["materials"].row(choose("filter1.material", lambda: "PW2" if float(fs.value) < 50e3 else "PW3" if float(fs.value) < 300e3 else "PW4", "class whose frequency band holds the switching frequency").value)
    tiny = {"turns": 1.0, "area": 1.0, "volume": 1e-9, "core": grade, "kappa": float(magnetics.igse_constant(grade["loss_alpha"], grade["loss_beta"])), "temperature": 100.0}
    stage = st.Stage(v_bus=v_bus, i_out=np.broadcast_to(np.maximum(grid.current(need.main), max(1e-3, 1e-3 * main.current_max)), grid.shape), v_out=main.magnitude, v_forward=rect["v_forward_v"], r_diode=rect["r_dynamic_ohm"], r_inductor=0.01 * main.magnitude / main.current_max,
                     r_switch=row["r_on_25_ohm"] * row["hot_ratio"], inductance=float(inductance.value), fs=float(fs.value), f_floor=floor, t_floor=t_floor, c_node=row["c_energy_f"] + C_WINDING, t_fall=row["t_fall_s"], t_recovery=rect["t_recovery_s"],
                     limit={"i_limit": 1e3, "tolerance": 0.0, "t_delay": 0.0}, is_limit=grid.where(lambda p: p.case == "limit") & np.ones(grid.shape, bool), choke=tiny, p_controller=p_ctl)
    sheet.again("switch.duty_allowed", duty_limit)
    stage = _limit(work, stage, st.solve(stage).out)
    win = work.parts["cores"].derived(windows)
    choke_need, choke = _choke(work, stage, st.solve(stage).out, grade, win)
    core = {**tiny, "turns": float(choke.turns), "area": float(win.effective.area[choke.core]), "volume": float(win.effective.volume[choke.core]), "temperature": float(min(need.ambient_max + choke.rise, 140.0))}
    return Plan(replace(stage, r_inductor=choke.resistance, choke=core), row, rectifiers, win, choke, choke_need, {}, np.inf)


def _limit(work: Work, s: st.Stage, out: Mapping[str, Any]) -> st.Stage:
    """The current limit: nominal, tolerance, delay."""
    tol = work.choose("switch.limit_tolerance", 0.08, "comparator and sense resistor (common practice)")
    delay = work.choose("switch.limit_delay", 150e-9, "comparator, logic and gate; a short pulse from a high bus leaves no more (common practice)")
    peak = float(loaded(work, out["crest"]).max())

    def rule() -> float:
        wanted = 1.1 * peak / (1 - float(tol.value))
        return float(np.ceil(wanted / 10 ** np.floor(np.log10(wanted) - 1)) * 10 ** np.floor(np.log10(wanted) - 1))
    nominal = work.choose("switch.current_limit", rule, "10 % above the largest peak in run, at the least trip")
    work.sheet.given("switch.limit_min", float(nominal.value) * (1 - float(tol.value)), "A", "rule", "nominal current limit less its tolerance")
    return replace(s, limit={"i_limit": float(nominal.value), "tolerance": float(tol.value), "t_delay": float(delay.value)})


def _choke(work: Work, s: st.Stage, out: Mapping[str, Any], grade: Any, win: Windows) -> tuple[InductorNeed, InductorChoice]:
    """The inductor's core for the currents of the stage."""
    full = corners.FULL.mask(work.grid)
    flat = {k: np.broadcast_to(out[k], work.grid.shape) for k in ("ripple", "t_e", "t_d", "i_l", "crest")}
    derate = work.choose("derating.flux", 0.85, "85 % of hot saturation (common practice)")
    rise = work.choose("filter1.rise_max", 45.0, "class of insulation and of neighbours (common practice)")
    need = InductorNeed(float(s.inductance), FLUX_ROOM * float(flat["crest"].max()), float(flat["i_l"][full].max()), flat["ripple"][full], flat["t_e"][full], flat["t_d"][full], float(s.fs), grade["b_sat_100_t"] * float(derate.value), grade, work.need.ambient_max, float(rise.value), work.need.cooling, work.need.height_max)
    choke = choose_inductor(need, win, work.choose.pins.get("filter1.core"))
    work.choose("filter1.core", win.names[choke.core], f"chosen from {len(win.names)}: smallest volume that meets flux at the current limit, gap, current density and temperature" if choke.passed else f"none of {len(win.names)} passes; the one that comes nearest", choke.refused)
    return need, choke
