"""What pictures need to know of a step-down stage: waveform shapes, ripple choice, flux."""

from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.sheet import reader
from rhevectra.core.formulas import forward, snubber
from rhevectra.core.topologies.common import snubbing
from rhevectra.core.topologies.common.snubbing import Ringing
from rhevectra.core.topologies.common.views import (
    FluxView,
    RippleView,
    Shape,
    ripple_crest,
    ripple_rms,
    ripple_view,
    saturation_curve,
    winding_view,
)
from rhevectra.core.topologies.stepdown.shapes import shapes
from rhevectra.core.topologies.stepdown.snubbers import hard_edges, inductances, windings


def waveforms(design: Any, corner: Corner) -> list[Shape]:
    """Voltage of one switch, primary current, filter inductor current at a corner, from the sized period."""
    o, s, at = design.context["o"], design.context["stage"], reader(corner.index)
    if s.variant.both_ways:
        return _bridge_waveforms(design, o, s, at)
    end, v_bus = 1 / at(o["fs"]), at(s.v_bus)
    waves = shapes(o, at, at(s.ns) / at(s.np), s.variant)
    t_on, e = at(o["t_on"]), 1e-10
    reset = min(t_on + at(o["t_e"]), end - 3 * e)
    t = np.array([0.0, e, t_on, t_on + e, reset, reset + e, end - e, end])
    v = np.array([v_bus / 2, 0.0, 0.0, v_bus, v_bus, v_bus / 2, v_bus / 2, 0.0])
    if s.variant.active:
        t, v = (np.array([0.0, e, t_on, t_on + e, end - at(s.extra["dead"]), end - e, end]),
                np.array([v_bus, 0.0, 0.0, v_bus + at(o["v_c"]), v_bus + at(o["v_c"]), v_bus, 0.0]))
    if s.variant.reset:  # the reset winding holds the switch above the bus while the core resets
        ratio = at(s.nr) / at(s.np)
        t[4:6] += at(o["t_e"]) * (ratio - 1)
        v = v_bus * np.array([1.0, 0.0, 0.0, 1 + 1 / ratio, 1 + 1 / ratio, 1.0, 1.0, 0.0])
        t[4:6] = np.minimum(t[4:6], end - 2 * e)
    return [Shape("switch voltage", "V", t, v, end, "primary", float(design.rows["switch.v_limit"].value)),
            Shape("primary current", "A", *waves["primary"], end, "primary"),
            Shape("inductor current", "A", *waves["inductor"], end, "secondary")]


def share_traces(design: Any, corner: Corner) -> tuple[Array, Array]:
    """Currents of the filter windings of several outputs over a period [A], (outputs, times), at instants [s]."""
    o, s, at = design.context["o"], design.context["stage"], reader(corner.index)
    waves = [shapes({**o, "valley": max(at(own["crest"]) - at(own["ripple"]), 0.0), "crest": at(own["crest"])}, at, at(s.ns) / at(s.np),
                    s.variant)["inductor"] for own in design.context["shared"]]
    return waves[0][0], np.array([i for _, i in waves])


def _bridge_waveforms(design: Any, o: Any, s: Any, at: Any) -> list[Shape]:
    """The same for a bridge: a lower switch, over its whole period."""
    half, v_bus, e = 1 / at(o["fs"]), at(s.v_bus), 1e-10
    waves = shapes(o, at, at(s.ns) / at(s.np), s.variant)
    if s.variant.phase:  # the lower switch of the leg that begins a pulse: on for half the period
        swung = 2 * half - max(at(o["t_swing"]), e)
        t, v = (np.array([0.0, half - at(o["t_q"]), half - at(o["t_q"]) + max(at(o["t_swing"]), e), half, swung, 2 * half - e, 2 * half]),
                np.array([0.0, 0.0, at(o["v_s"]), v_bus, v_bus, v_bus - at(o["v_s"]), 0.0]))
        return [Shape("switch voltage", "V", t, v, 2 * half, "primary", float(design.rows["switch.v_limit"].value)),
                Shape("primary current", "A", *waves["primary"], 2 * half, "primary"),
                Shape("inductor current", "A", *waves["inductor"], 2 * half, "secondary")]
    on, back = at(o["t_on"]), max(at(o["t_l"]), 2 * e)
    t = np.array(
        [0.0, e, on, on + e, on + back, on + back + e, half - e, half, half + on, half + on + e, half + on + back, half + on + back + e,
         2 * half - e, 2 * half])
    v = (np.array([v_bus / 2, 0.0, 0.0, v_bus, v_bus, v_bus / 2, v_bus / 2, v_bus, v_bus, 0.0, 0.0, v_bus / 2, v_bus / 2, 0.0])
         * s.variant.halves)
    if s.variant.node == "a":  # the lower switch of the leg whose upper one begins
        v = v_bus - v
    return [Shape("switch voltage", "V", t, v, 2 * half, "primary", float(design.rows["switch.v_limit"].value)),
            Shape("primary current", "A", *waves["primary"], 2 * half, "primary"),
            Shape("inductor current", "A", *waves["inductor"], 2 * half, "secondary")]


def bus_current(design: Any, corner: Corner) -> Shape:
    """What a phase-shifted bridge takes from the bus in each pulse: its primary's current while the bus lies across it, which first flows
    back; nothing while it circulates."""
    o, at = design.context["o"], reader(corner.index)
    half, turned, e = 1 / at(o["fs"]), max(at(o["t_c"]), 1e-10), 1e-10
    end = min(turned + at(o["t_e"]), half - 3 * e)
    return Shape("bus current", "A", np.array([0.0, turned, end, end + e, half]),
                 np.array([-at(o["i_left"]), at(o["i_start"]), at(o["i_peak"]), 0.0, 0.0]), half, "primary")


def switched_current(design: Any, corner: Corner) -> Shape:
    """What a stage takes from the bus whose clamp stands beside the primary: its current while the switch is on, for afterwards it flows
    around in the clamp."""
    primary, on, e = waveforms(design, corner)[1], reader(corner.index)(design.context["o"]["t_on"]), 1e-10
    while_on = primary.t <= on
    return Shape("bus current", "A", np.concatenate([primary.t[while_on], [on + e, primary.period]]),
                 np.concatenate([primary.y[while_on], [0.0, 0.0]]), primary.period, "primary")


def divided_current(design: Any, corner: Corner) -> Shape:
    """What a half bridge between two capacitors takes from the bus: half the primary's current while either switch is on, for the other
    half flows around in the capacitors."""
    primary = waveforms(design, corner)[1]
    return Shape("bus current", "A", primary.t, 0.5 * np.abs(primary.y), primary.period, "primary")


def transient(design: Any, corner: Corner) -> list[Shape]:
    """The period around the turn-off."""
    whole, at = waveforms(design, corner), reader(corner.index)
    o = design.context["o"]
    t_on, span = at(o["t_on"]), max(at(o["t_e"]), 1e-9)
    fine = np.linspace(max(t_on - 0.3 * span, 0.0), min(t_on + 1.3 * span, whole[0].period), 800)
    return [Shape(w.name, w.unit, fine - t_on, np.interp(fine, w.t, w.y), fine[-1] - fine[0], w.side, w.limit) for w in whole]


def rectifier_ring(design: Any) -> Ringing:
    """What each rectifier rings with."""
    rows, plan, o, s, shape = design.rows, design.context["plan"], design.context["o"], design.context["stage"], design.grid.shape
    spread = lambda x: np.broadcast_to(np.asarray(getattr(x, "value", x), dtype=float), shape)  # noqa: E731
    step = spread(rows["rectifier1.v_reverse"]) / (1 + float(rows["rectifier.ringing"].value))
    burnt = hard_edges(s) * snubber.snubber_loss(1.0, 0.0, step, spread(o["f_switch"]))
    if s.variant.active:
        burnt = burnt + snubber.slow_rise_loss(1.0, 0.0, spread(o["v_c"]), s.ns.value, s.np.value, spread(o["f_switch"]))
    own = [float(rows[id].value) if (id := f"rectifier{n}.c_junction") in rows else snubbing.junction(plan.rectifiers[n - 1]["row"])
           for n, _ in windings(s)]
    return Ringing(inductances(s, float(plan.leakage.value), own)[0], plan.rectifiers[design.requirement.main]["row"], step, burnt)


def ripple_choice(design: Any) -> RippleView:
    """Energy of the filter inductor, its rms and the switch's peak against the ripple ratio, at the highest bus and full load."""
    rows, s = design.rows, design.context["stage"]
    i_out, n = float(design.requirement.outputs[design.requirement.main].current_max), float(s.ns.value) / float(s.np.value)
    duty, down = float(rows["switch.duty_least"].value), float(s.v_out.value) + float(s.v_forward.value)
    full = [k for k, p in enumerate(design.grid.points) if p.case == "run" and p.load == 1.0]
    chosen = float(np.max(np.asarray(rows["filter1.i_ripple_pp"].value)[..., full, :])) / i_out

    def values(k: Any) -> tuple[Any, ...]:
        inductance = forward.filter_inductance(down, duty, s.variant.pulses * float(rows["fs"].value), k, i_out)
        crest, rms = ripple_crest(i_out, k), ripple_rms(i_out, k)
        return 0.5 * inductance * np.square(crest), n * crest, rms, inductance, np.sqrt(np.square(rms) - i_out**2)
    return ripple_view(chosen, values, ("inductor energy (core size)", "switch peak", "inductor rms"))


def flux_view(design: Any) -> FluxView:
    """The ungapped core's flux over magnetising current, cold and hot, with full load and full duty at the highest bus as they are
    judged."""
    rows, s, plan = design.rows, design.context["stage"], design.context["plan"]
    n, area, length = (float(rows["transformer.np"].value), float(rows["transformer.area"].value),
                       float(plan.window.effective.length[plan.choice.core]))
    rest = float(rows["transformer.residual_gap"].value) / (4e-7 * np.pi * n**2 * area)
    hot, cold = (saturation_curve(s.core, s.core[k], n, area, length, rest) for k in ("b_sat_100_t", "b_sat_25_t"))
    limit = design.figure("transformer.b_peak")
    lm = float(rows["transformer.lm"].value) / plan.need.pieces
    swing = float(design.figure("transformer.b_ac").value) * 2
    points = [("full load, swing", swing * n * area / lm, swing, "primary"),
              ("full duty at the highest bus", float(limit.value) * n * area / lm, float(limit.value),
               "over" if (limit.margin or 0) < 0 else "accent")]
    return FluxView([("cold, 25 °C", *cold, "muted", True), ("hot, 100 °C", *hot, "ink", False)], points,
                    float(rows["transformer.b_limit"].value), float(s.core["b_sat_25_t"]), 2.2 * points[1][1])


__all__ = ["flux_view", "rectifier_ring", "ripple_choice", "transient", "waveforms", "winding_view"]
