"""Gap, flux, core loss, leakage and temperature of a wound core. SI units."""

import math
from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

MU0 = 4e-7 * np.pi


@formula("B̂ = L·Î/(N·A)", "T", "L Î N A", "flux linkage over turns and area")
def flux_density(inductance: Any, current: Any, turns: Any, area: Any) -> Any:
    """Flux density [T] from inductance [H], current [A], turns and core area [m²]."""
    return inductance * current / (turns * area)


@formula("A_L = L/N²", "H", "L N", "definition")
def inductance_factor(inductance: Any, turns: Any) -> Any:
    """Inductance of one turn [H]."""
    return inductance / np.square(turns)


@formula("l_g = F·µ₀·A·(N²/L − l_e/(µ₀·µ_i·A_e))", "m", "F A N L l_e µ_i A_e",
         "reluctance of gap and core in series; fringing widens the gap's area by F")
def gap_length(fringing: Any, area_post: Any, turns: Any, inductance: Any, length: Any, mu: Any, area: Any) -> Any:
    """Centre post gap [m]; negative where even an ungapped core has too little inductance."""
    return fringing * MU0 * area_post * (np.square(turns) / inductance - length / (MU0 * mu * area))


@formula("F = 1 + l_g/√(A)·ln(2·l_w/l_g)", "", "l_g A l_w",
         "fringing factor of a gap in a window of height l_w (classic magnetics handbook form, from memory)")
def fringing_factor(gap: Any, area: Any, window: Any) -> Any:
    """Ratio by which fringing raises the gap's permeance; window is the winding window's height along the post [m]."""
    safe = np.maximum(gap, 1e-7)
    return 1 + safe / np.sqrt(area) * np.log(2 * window / safe)


def solve_gap(area_post: Any, turns: Any, inductance: Any, length: Any, mu: Any, area: Any, window: Any) -> tuple[Any, Any]:
    """Gap [m] and fringing factor that belong together (fixed point, eight passes)."""
    factor = np.ones_like(np.asarray(inductance * turns, dtype=float))
    for _ in range(8):
        gap = gap_length(factor, area_post, turns, inductance, length, mu, area)
        factor = fringing_factor(gap, area_post, window)
    return gap, factor


@formula("P_ref = P_0·(1 + c·(T − T_0)²)", "W/m³", "P_0 c T T_0", "catalogue: parabola around the temperature of least loss")
def loss_at_temperature(reference: Any, curvature: Any, temperature: Any, t_min: Any) -> Any:
    """Loss density [W/m³] of the grade's reference point at a core temperature [°C]."""
    return reference * (1 + curvature * np.square(temperature - t_min))


def igse_constant(alpha: float, beta: float) -> float:
    """2^(β−α)·(2π)^(α−1)·∫|cos|^α of the improved generalised Steinmetz equation, integral in closed form by the gamma function."""
    integral = 2 * np.sqrt(np.pi) * math.gamma((alpha + 1) / 2) / math.gamma(alpha / 2 + 1)
    return 1 / float((2 * np.pi) ** (alpha - 1) * integral * 2 ** (beta - alpha))


@formula("P = V_e·κ·P_ref/(f_0^α·B_0^β)·ΔB^β·f_s·(t_1^(1 − α) + t_2^(1 − α))", "W",
         "V_e κ P_ref ΔB f_0 α B_0 β f_s t_1 t_2",
         "improved generalised Steinmetz equation, two slopes per period (published method, from memory)")
def core_loss_two_slope(volume: Any, kappa: Any, reference: Any, swing: Any, f_ref: Any, alpha: Any, b_ref: Any, beta: Any, fs: Any,
                        t_up: Any, t_down: Any) -> Any:
    """Core loss [W] of a flux that rises by `swing` [T] in t_up and falls in t_down [s], once per period.

    kappa from `igse_constant`; reference [W/m³] at f_ref [Hz] and sinusoidal amplitude b_ref [T].
    """
    scale = reference / (f_ref**alpha * b_ref**beta)
    return volume * kappa * scale * swing**beta * fs * (t_up ** (1 - alpha) + t_down ** (1 - alpha))


@formula("L_lk = µ₀·N²·l_t/w·(Σh/3 + Σc)/s²", "H", "N l_t w Σh Σc s",
         "energy of the field between windings, one dimension; s = 2 for a split primary")
def leakage_geometric(turns: Any, mean_turn: Any, width: Any, heights: Any, gaps: Any, sections: Any) -> Any:
    """Leakage inductance [H] seen from `turns`: winding heights sum [m], insulation between sections sum [m], interface count."""
    return MU0 * np.square(turns) * mean_turn / width * (heights / 3 + gaps) / np.square(sections)


@formula("C_w = 4·m·C_l/(3·n^2)", "F", "m C_l n",
         "energy between neighbouring layers that are wound back and forth: their voltage runs from none to twice that of a layer")
def layered_capacitance(pairs: Any, layer: Any, layers: Any) -> Any:
    """Capacitance [F] across a winding of `layers`, of which `pairs` lie upon each other with `layer` [F] between; turn to turn left
    out."""
    return 4 * pairs * layer / (3 * np.square(layers))


@formula("N = m·N_1", "turns", "m N_1", "windings of like transformers in series carry the same current; their turns add up")
def turns_in_series(count: Any, one: Any) -> Any:
    """Turns of `count` like windings in series."""
    return count * one


@formula("L = m·L_1", "H", "m L_1", "inductances in series that share no flux")
def inductance_in_series(count: Any, one: Any) -> Any:
    """Inductance [H] of `count` like transformers in series."""
    return count * one


@formula("L_1 = L/m", "H", "L m", "inductances in series that share no flux")
def inductance_of_each(inductance: Any, count: Any) -> Any:
    """Inductance [H] of one of `count` like transformers in series."""
    return inductance / count


@formula("C = m·C_1", "F", "m C_1", "capacitances side by side")
def capacitance_of_all(count: Any, one: Any) -> Any:
    """Capacitance [F] of `count` like parts side by side."""
    return count * one


@formula("R_th = 1/(h·A)", "K/W", "h A", "surface heat transfer (h = 10 W/m²K natural, 25 forced: common practice, no source)")
def thermal_resistance(h: Any, surface: Any) -> Any:
    """Surface to ambient thermal resistance [K/W]."""
    return 1 / (h * surface)


@formula("ΔT = R_th·(P_c + P_cu)", "K", "R_th P_c P_cu", "definition")
def temperature_rise(r_th: Any, p_core: Any, p_copper: Any) -> Any:
    """Temperature rise [K] over ambient."""
    return r_th * (p_core + p_copper)


@formula("L_lk = min(½·L_p, max(k·L_geo, p·L_p))", "H", "L_geo k p L_p",
         "geometric estimate raised for lead-outs, never below a share of the primary inductance (common practice)")
def leakage_best(geometric: Any, lead_out: Any, share: Any, lp: Any) -> Any:
    """Leakage [H] to design with when none is measured."""
    return np.minimum(0.5 * lp, np.maximum(lead_out * geometric, share * lp))


@formula("s = ½·l_g", "m", "l_g", "spacer under all legs: centre and outer gaps are in series (before fringing of the outer gaps)")
def shim(gap: Any) -> Any:
    """Spacer thickness [m] under all legs that replaces a centre post gap [m]."""
    return 0.5 * gap


@formula("Î_c = √(Î² + (C_n/L_p)·V_bus²)", "A", "Î C_n L_p V_bus",
         "energy of the node rise as far as the bus: only beyond it does the core's current fall")
def core_peak(i_peak: Any, c_node: Any, lp: Any, v_bus: Any) -> Any:
    """Greatest core current [A]: that at turn-off and what the node adds while it rises to the bus."""
    return np.sqrt(np.square(i_peak) + (c_node / lp) * np.square(v_bus))


@formula("B̂ = √((L·I_lim·(1 + δ) + V_bus·t_d)² + L·C_n·V_bus²)/(N·A)", "T", "L I_lim δ V_bus t_d C_n N A",
         "flux linkage at the trip plus bus voltage times delay; it grows on until the node has risen to the bus")
def flux_at_limit(lp: Any, i_limit: Any, tolerance: Any, v_bus: Any, t_delay: Any, c_node: Any, turns: Any, area: Any) -> Any:
    """Flux density [T] at the current limit: largest inductance [H], largest trip, delay at the bus voltage, node capacitance [F]."""
    return np.sqrt(np.square(lp * i_limit * (1 + tolerance) + v_bus * t_delay) + lp * c_node * np.square(v_bus)) / (turns * area)


@formula("A = 0.000011·√(P/η)", "m²", "P η",
         "rule of thumb for push-pull and bridges at 50 kHz, 0.11·√(P/η) cm² (common practice, no source); shown beside the core that was "
         "computed, never used")
def area_rule(power: Any, efficiency: Any) -> Any:
    """Core area [m²] by the rule of thumb."""
    return 1.1e-5 * np.sqrt(power / efficiency)
