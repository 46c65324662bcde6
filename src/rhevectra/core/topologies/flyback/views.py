"""What pictures need to know of a flyback: waveform shapes at a corner, ripple choice, flux."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner, pick
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Quick, reader
from rhevectra.core.formulas import flyback, snubber
from rhevectra.core.formulas.magnetics import MU0
from rhevectra.core.topologies.common.snubbing import STRAY, Ringing
from rhevectra.core.topologies.common.views import (
    FluxView,
    FrequencyCurve,
    FrequencyView,
    RippleView,
    Shape,
    ripple_view,
    saturation_curve,
    winding_view,
)
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback.waveform import clamp_current, drain_shape, primary_shape, secondary_shape, times

VOLTAGE = {False: "drain voltage", True: "lower drain voltage"}
LEAST_LOAD, LOADS = 0.05, 240


def _switch_voltage(o: Any, s: Any, at: Any, more: Any = None) -> tuple[Any, Any]:
    """Voltage of the switch, or of the lower of two, which share what stands across both."""
    t, v = drain_shape(o, at, at(s.v_bus), at(s.c_node), at(s.leakage), at(s.lp), more)
    return t, v / s.variant.switches


def frequency_view(design: Any) -> FrequencyView:
    """Switching frequency against load at the lowest, the middle and the highest bus, solved afresh at every load."""
    grid, s, rows = design.grid, design.context["stage"], design.rows
    full = corners.FULL.mask(grid)
    bus = np.broadcast_to(s.v_bus.value, grid.shape)[full]
    buses, load = np.array([bus.min(), 0.5 * (bus.min() + bus.max()), bus.max()]), np.linspace(LEAST_LOAD, 1.0, LOADS)
    index = tuple(int(i[0]) for i in np.nonzero(full))
    currents = tuple(pick(i, index) * (load[None, :] if k < len(s.i_outputs) else 1.0)
                     for k, i in enumerate(design.context["plan"].stage.i_outputs, 1))
    stage = replace(design.context["plan"].stage, v_bus=buses[:, None] + 0 * load, i_outputs=currents,
                    takes=tuple(pick(x, index) + 0 * load[None, :] for x in design.context["plan"].stage.takes),
                    i_limit=float(np.max(s.i_limit.value)), is_limit=np.zeros((len(buses), LOADS), bool))
    found = pd.solve(stage).out["fs"]
    curves = [FrequencyCurve(f"bus {show(float(v), 'V')}", load, f, role)
              for v, f, role in zip(buses, found, ("primary", "ink", "secondary"), strict=True)]
    run = np.broadcast_to(grid.where(lambda p: p.case == "run" and not p.label), grid.shape)
    points = [(grid.points[i[2]].load, float(np.broadcast_to(rows["switch.frequency"].value, grid.shape)[i]))
              for i in zip(*np.nonzero(run), strict=True) if grid.points[i[2]].load >= LEAST_LOAD]
    return FrequencyView(curves, float(rows["qr.f_max"].value), float(rows["qr.f_audible"].value), points)


def clamp_over_load(design: Any, corner: Corner, load: Array) -> Array:
    """What the clamp, or the switch without one, burns [W] along load at the line of a corner: the period solved afresh at every load, the
    bus between those of the grid."""
    stage, clamp, quick = design.context["plan"].stage, design.context["stage"].variant.clamp, Quick()
    run = design.grid.along_load(corner)
    along = lambda values: np.interp(load, [x for x, _ in run], [float(pick(np.asarray(values), i)) for _, i in run])  # noqa: E731
    here = replace(stage, v_bus=along(design.rows["bus.v"].value), i_outputs=tuple(along(i) for i in stage.i_outputs),
                   takes=tuple(along(x) for x in stage.takes), i_limit=float(np.max(stage.i_limit)), is_limit=np.zeros(len(load), bool))
    found = pd.solve(here)
    o = pd.advance(quick, found.stage, found.state)
    o |= clamp.measures(quick, found.stage, o)
    return np.broadcast_to(sum(np.asarray(o[row]) for name, row in clamp.LOSSES.items() if name != "leakage_ring"), load.shape)


def rectifier_ring(design: Any) -> Ringing:
    """What the regulated output's rectifier rings with."""
    rows, plan, o, shape = design.rows, design.context["plan"], design.context["o"], design.grid.shape
    spread = lambda x: np.broadcast_to(np.asarray(getattr(x, "value", x), dtype=float), shape)  # noqa: E731
    turns, n = [float(t.value) for t in plan.turns], design.requirement.main
    step = spread(rows[f"rectifier{n + 1}.v_reverse"]) / (1 + float(rows["rectifier.ringing"].value))
    burnt = snubber.rectifier_loss(1.0, 0.0, step, spread(o["v_edge"]), turns[1], turns[0], spread(o["fs"]))
    return Ringing(float(plan.leakage.value) * (turns[1] / turns[0]) ** 2 + STRAY, plan.rectifiers[n]["row"], step, burnt)


def waveforms(design: Any, corner: Corner) -> list[Shape]:
    """Drain voltage, switch current, main secondary current at a corner, from the sized period."""
    o, s, at = design.context["o"], design.context["stage"], reader(corner.index)
    period = 1 / at(o["fs"])
    t, v = _switch_voltage(o, s, at)
    t_p, i_p = primary_shape(o, at)
    t_s, i_s = secondary_shape(o, at)
    n = at(s.i_outputs[0]) / at(o["i_sum"])
    if corner.case == "limit":
        n = at(s.np) / at(s.ns[0])
    return [Shape(VOLTAGE[s.variant.held], "V", t, v, period, "primary", float(design.rows["switch.v_limit"].value)),
            Shape("primary current", "A", t_p, i_p, period, "primary"), Shape("secondary current", "A", t_s, i_s * n, period, "secondary")]


def transient(design: Any, corner: Corner) -> list[Shape]:
    """The turn-off closely, from half a clamp time before it: drain voltage, clamp current, main secondary current."""
    whole, at = waveforms(design, corner), reader(corner.index)
    o, s = design.context["o"], design.context["stage"]
    t = times(o, at)
    ring = 2 * np.pi * np.sqrt(at(s.leakage) * at(s.c_node))
    length = max(2.5 * (t["clamped"] - t["off"]), 6 * ring)
    start, end = max(t["off"] - 0.3 * length, 0.0), min(t["off"] + 1.6 * length, t["end"])
    fine = np.linspace(start, end, 1200)
    clamp = clamp_current(o, at, t, fine)
    tv, v = _switch_voltage(o, s, at, fine)
    shown = (tv >= start) & (tv <= end)
    secondary = whole[2]
    return [Shape(VOLTAGE[s.variant.held], "V", tv[shown] - t["off"], v[shown], end - start, "primary", whole[0].limit),
            Shape("current back to the bus" if s.variant.held else "clamp current" if s.variant.turned else "clamp diode current", "A",
                  fine - t["off"], clamp, end - start, "primary"),
            Shape("secondary current", "A", fine - t["off"], np.interp(fine, secondary.t, secondary.y), end - start, "secondary")]


def ripple_choice(design: Any) -> RippleView:
    """Stored energy, peak and rms current of the ideal stage at the lowest bus against the ripple ratio."""
    rows = design.rows
    inputs = {"power": float(rows["transformer.p_through"].value), "v_bus": float(rows["bus.v_low"].value),
              "duty": float(rows["switch.duty_valley"].value)}
    fs, chosen = float(rows["fs"].value), float(rows["flyback.ripple_ratio"].value)

    i_out, duty = float(design.requirement.outputs[design.requirement.main].current_max), inputs["duty"]

    def values(k: Any) -> tuple[Any, ...]:
        """Up to the boundary the current never rests; beyond it the energy of a pulse stays that of the boundary and its peak follows from
        the inductance."""
        inside = np.minimum(k, 2.0)
        longer = np.sqrt(k / inside)  # beyond: inductance as 1/k, peak as √k, the current flows for 1/√k of the time
        peak, inductance = (flyback.peak_of_ripple(ripple_ratio=inside, **inputs) * longer,
                            flyback.primary_inductance(ripple_ratio=inside, fs=fs, **inputs) * inside / k)
        rms = flyback.rms_of_ripple(ripple_ratio=inside, **inputs) * np.sqrt(longer)
        i_c = i_out * np.sqrt(np.maximum((1 + np.square(inside) / 12) * longer / (1 - duty) - 1, 0.0))
        return flyback.stored_energy(inductance, peak), peak, rms, inductance, i_c
    return ripple_view(chosen, values, ("stored energy (core size)", "peak current", "rms current"))


def flux_view(design: Any) -> FluxView:
    """The gapped core's flux over primary current, cold and hot, with full load and limit as they are judged."""
    rows, plan = design.rows, design.context["plan"]
    core, n, lp = design.context["stage"].core, float(rows["transformer.np"].value), float(rows["transformer.lp"].value)
    area, length = float(rows["transformer.area_min"].value), float(plan.window.effective.length[plan.choice.core])
    gap_part = 1 / lp - length / (MU0 * core["mu_initial"] * n**2 * float(rows["transformer.area"].value))

    hot, cold = (saturation_curve(core, core[k], n, area, length, gap_part) for k in ("b_sat_100_t", "b_sat_25_t"))
    limit, run = design.figure("transformer.b_peak"), design.figure("switch.i_peak_run")
    i_limit = float(design.value("switch.i_peak"))
    points = [("full load", float(run.value), lp * float(run.value) / (n * area), "primary"),
              ("current limit, largest inductance", i_limit, float(limit.value), "over" if (limit.margin or 0) < 0 else "accent")]
    return FluxView([("cold, 25 °C", *cold, "muted", True), ("hot, 100 °C", *hot, "ink", False)], points,
                    float(rows["transformer.b_limit"].value), float(core["b_sat_25_t"]), 2.2 * i_limit)


__all__ = ["clamp_over_load", "flux_view", "frequency_view", "rectifier_ring", "ripple_choice", "transient", "waveforms", "winding_view"]
