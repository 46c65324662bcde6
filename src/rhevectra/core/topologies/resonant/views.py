"""What pictures need to know of a resonant stage: waveform shapes, gain over frequency, flux."""

from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import reader
from rhevectra.core.magnetics.effective import leg_area
from rhevectra.core.magnetics.legs import LegFluxes, around_one, in_a_row, shifted
from rhevectra.core.magnetics.matrix import merged_share
from rhevectra.core.topologies.common.views import FluxView, GainCurve, GainView, Shape, saturation_curve, winding_view
from rhevectra.core.topologies.resonant import ends, several, waves
from rhevectra.core.topologies.resonant.curves import curve


def _point(design: Any, corner: Corner) -> int:
    """Number of the solved point that stands for a corner."""
    shape = design.grid.shape
    return int(np.ravel_multi_index(tuple(min(int(i), n - 1) for i, n in zip(corner.index, shape, strict=True)), shape))


def waveforms(design: Any, corner: Corner) -> list[Shape]:
    """Voltage of the lower switch, tank current and rectifier current (of several phases: of all) at a corner, from the exact period of the
    tank."""
    plan, s, at = design.context["plan"], design.context["stage"], reader(corner.index)
    o = design.context["o"]
    w, lr, cr = waves.waveform(plan.settled.found, _point(design, corner)), float(s.lr.value), float(s.cr.value)
    rate, amps, n = 1 / np.sqrt(lr * cr), s.variant.drive * at(s.v_bus) / np.sqrt(lr / cr), at(s.np) / at(s.ns)
    end, t = 1 / at(o["f"]), w["t"] / rate
    v = np.where(t < 0.5 * end, at(s.v_bus), 0.0)
    if s.variant.phases > 1:
        full = [np.interp((t - k * end / s.variant.phases) % end, t, w["rectifier"] + np.roll(w["rectifier"], len(t) // 2))
                for k in range(s.variant.phases)]
        return [Shape("switch voltage, phase 1", "V", t, v, end, "primary", float(design.rows["switch.v_limit"].value)),
                Shape("tank current, phase 1", "A", t, w["tank"] * amps, end, "primary"),
                Shape("rectifiers, all phases", "A", t, sum(full) * amps * n, end, "secondary")]
    rectified = w["rectifier"] * amps * n
    if s.others:
        rectified = _first_of_several(plan, _point(design, corner), t, end, rectified)
    return [Shape("switch voltage", "V", t, v, end, "primary", float(design.rows["switch.v_limit"].value)),
            Shape("tank current", "A", t, w["tank"] * amps, end, "primary"),
            Shape("rectifier current", "A", t, rectified, end, "secondary")]


def bus_current(design: Any, corner: Corner) -> Shape:
    """What all phases take from the bus: each its tank's current while its upper switch is on."""
    tank, phases = waveforms(design, corner)[1], design.context["stage"].variant.phases
    t, end = tank.t, tank.period
    one = np.where(t < 0.5 * end, tank.y, 0.0)
    return Shape("bus current", "A", t, sum(np.interp((t - k * end / phases) % end, t, one) for k in range(phases)), end, "primary")


def _first_of_several(plan: Any, row: int, t: Array, end: float, rectified: Array) -> Array:
    """What the regulated output's first rectifier has of the rectified current of all; t: instants over the period [s]."""
    times, currents = several.traces(plan.stage, plan.settled, row)
    half = 0.5 * end
    since = (t - times[0]) % half
    return np.where(rectified > 0, np.interp(since, times - times[0], currents[0], right=0.0), 0.0)


def share_traces(design: Any, corner: Corner) -> tuple[Array, Array]:
    """Currents of the rectifiers of several outputs over half a period [A], (outputs, times), at instants from where they take over [s]."""
    plan = design.context["plan"]
    times, currents = several.traces(plan.stage, plan.settled, _point(design, corner))
    return times - times[0], currents


def gain_view(design: Any) -> GainView:
    """Gain over frequency at overload, full, half and a tenth of the load, all at the lowest bus; where the design runs at full load and
    each bus, and the border."""
    plan, grid, rows = design.context["plan"], design.grid, design.rows
    s, full = plan.stage, np.broadcast_to(corners.FULL.mask(grid), grid.shape)
    v_low = float(np.min(np.broadcast_to(s.v_bus, grid.shape)[full]))
    i_full = float(np.broadcast_to(several.total(s), grid.shape)[full].max()) if s.others else float(
        design.requirement.outputs[design.requirement.main].current_max)
    o = plan.settled.out
    loads = [("overload", float(np.max(several.total(s))), "over"), ("full load", i_full, "primary"), ("half", 0.5 * i_full, "secondary"),
             ("a tenth", 0.1 * i_full, "muted")]
    lines = [GainCurve(name, c.frequency, c.exact, c.lagging, c.harmonic, role) for name, amps, role in loads
             for c in [curve(s, v_low, amps, 2.0 * float(o["gain"].max()), 1.8, 40)]]
    points = [(f"{show(float(v), 'V')}", float(o["f"][full].reshape(-1)[k]), float(o["gain"][full].reshape(-1)[k]))
              for v, k in {float(x): k for k, x in enumerate(np.broadcast_to(s.v_bus, grid.shape)[full])}.items()]
    points = sorted({p[0]: p for p in points}.values(), key=lambda p: p[1])
    marked = [points[0], points[-1]] if len(points) > 1 else points
    hold, asked = float(rows["llc.v_hold"].value), float(design.figure("llc.gain_hold").value)
    if hold < v_low:
        c = curve(s, hold, i_full, 1.1 * asked, 1.2, 24)
        marked.append((f"hold-up {show(hold, 'V')}", float(np.interp(-asked, -c.exact, c.frequency)), asked))
    band = [curve(ends.at(s, parts), v_low, float(np.max(several.total(s))), 2.0 * float(o["gain"].max()), 1.8, 40)
            for parts in ends.of(rows).outermost]
    return GainView(lines, [(c.frequency[c.lagging], c.exact[c.lagging]) for c in band], float(rows["fs"].value),
                    float(rows["llc.f_border"].value), float(rows["llc.gain_max"].value), marked)


def flux_view(design: Any) -> FluxView:
    """The gapped core's flux over magnetising current, cold and hot, with full load and the worst corner."""
    rows, s, plan = design.rows, design.context["stage"], design.context["plan"]
    n, area, lm = (float(rows["transformer.np"].value), float(rows["transformer.area_min"].value),
                   float(rows["llc.lm"].value) / plan.need.pieces)
    length = float(plan.window.effective.length[plan.choice.core])
    rest = max(1 / lm - length / (4e-7 * np.pi * s.core["mu_initial"] * n**2 * area), 0.0)
    hot, cold = (saturation_curve(s.core, s.core[k], n, area, length, rest) for k in ("b_sat_100_t", "b_sat_25_t"))
    peak, full = design.figure("transformer.b_peak"), float(design.figure("transformer.b_ac").value)
    points = [("full load", full * n * area / lm, full, "primary"),
              ("worst corner", float(peak.value) * n * area / lm, float(peak.value), "over" if (peak.margin or 0) < 0 else "accent")]
    return FluxView([("cold, 25 °C", *cold, "muted", True), ("hot, 100 °C", *hot, "ink", False)], points,
                    float(rows["transformer.b_limit"].value), float(s.core["b_sat_25_t"]), 2.2 * points[1][1])


def legs_view(design: Any, corner: Corner) -> LegFluxes:
    """Flux of every leg where the phases' transformers share a core, from the exact period of the tank."""
    plan, s, at = design.context["plan"], design.context["stage"], reader(corner.index)
    core = plan.choice.core
    w, lr, cr = waves.waveform(plan.settled.found, _point(design, corner)), float(s.lr.value), float(s.cr.value)
    amps, end = s.variant.drive * at(s.v_bus) / np.sqrt(lr / cr), 1 / at(design.context["o"]["f"])
    t, first = np.unique(w["t"] * np.sqrt(lr * cr), return_index=True)  # pieces of the solution meet at an instant each has
    posts = shifted(t, float(design.rows["llc.lm"].value) * amps * w["magnetising"][first] / at(s.np), end, s.variant.phases)
    name = plan.window.names[core]
    row = design.catalogue["cores"].row(name)
    left = merged_share(row, float(plan.window.effective.volume[core]), s.variant.phases)
    return LegFluxes(t, posts, in_a_row(posts), around_one(posts), name, float(plan.window.effective.area_post[core]), leg_area(row), left)


__all__ = ["flux_view", "gain_view", "legs_view", "share_traces", "waveforms", "winding_view"]
