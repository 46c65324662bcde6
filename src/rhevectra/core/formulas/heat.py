"""Heat of a wound core in two nodes: its core and its winding, each with a surface of its own, and what lies between them.

Sources: natural convection at a vertical face by the laminar correlation of Churchill and Chu, Int. J. Heat Mass Transfer 18 (1975) (from
memory), with air at a film temperature of 60 °C; radiation of grey bodies; conduction through bobbin and air.
"""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

SIGMA = 5.670374419e-8
"""Stefan-Boltzmann constant [W/m²K⁴]."""


@formula("p = exp(−h/8430)", "", "h", "barometric formula with the scale height of the lower air [m]")
def air_pressure(altitude: Any) -> Any:
    """Air pressure at an altitude [m] over that at sea level."""
    return np.exp(-altitude / 8430)


@formula("h_n = 0.0194/H + 1.28·(max(1, ΔT)/H)^0.25·√(p)", "W/m²K", "ΔT H p",
         "natural convection of air at a vertical face, laminar (Churchill and Chu, air at 60 °C); thinner air by the root of its pressure")
def natural_film(rise: Any, high: Any, pressure: Any) -> Any:
    """Film coefficient of natural convection [W/m²K] for a rise [K] of a face of a height [m]."""
    return 0.0194 / high + 1.28 * (np.maximum(1.0, rise) / high) ** 0.25 * np.sqrt(pressure)


@formula("h_r = ε·σ·((T_a + 273.15)^2 + (T_a + ΔT + 273.15)^2)·(2·T_a + ΔT + 546.3)", "W/m²K", "ε σ T_a ΔT",
         "radiation of a grey body to surroundings at ambient")
def radiation_film(emissivity: Any, sigma: Any, ambient: Any, rise: Any) -> Any:
    """Film coefficient of radiation [W/m²K] at a rise [K] over an ambient [°C]."""
    return emissivity * sigma * ((ambient + 273.15) ** 2 + (ambient + rise + 273.15) ** 2) * (2 * ambient + rise + 546.3)


@formula("G = (h_n + h_r)·A", "W/K", "h_n h_r A", "both leave the same surface")
def to_ambient(film: Any, radiation: Any, area: Any) -> Any:
    """Conductance [W/K] of a surface [m²] to ambient."""
    return (film + radiation) * area


@formula("P_w = P_cu·(234.5 + T_w)/(234.5 + T_0)", "W", "P_cu T_w T_0", "resistivity of copper in proportion to temperature + 234.5 °C")
def copper_at(p_copper: Any, t_winding: Any, t_planned: Any) -> Any:
    """Copper loss [W] at the winding's temperature [°C], of a loss worked out at another."""
    return p_copper * (234.5 + t_winding) / (234.5 + t_planned)


@formula("T = T_a + (P·(G_o + G_x) + P_o·G_x)/(G·G_o + G_x·(G + G_o))", "°C", "T_a P G P_o G_o G_x",
         "two nodes to ambient with a conductance between them")
def node(ambient: Any, p: Any, g: Any, p_other: Any, g_other: Any, g_between: Any) -> Any:
    """Temperature [°C] of a node with loss p [W] and conductance g [W/K] to ambient, coupled to another."""
    return ambient + (p * (g_other + g_between) + p_other * g_between) / (g * g_other + g_between * (g + g_other))
