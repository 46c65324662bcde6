"""Heat sinks that several parts share, each with its own way to them."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("P_Σ = n·P", "W", "n P", "all alike")
def of_all(count: Any, one: Any) -> Any:
    """Loss [W] of `count` parts alike."""
    return count * one


@formula("P_Σ = m·P/s", "W", "m P s", "drop and resistance burn in proportion to the share of the current")
def of_share(count: Any, one: Any, share: Any) -> Any:
    """Loss [W] of all rectifiers, of which `count` conduct at a time and one carries a share of the current."""
    return count * one / share


@formula("R_s = (T_j − T_a − P·(R_jc + R_p/n))/max(P_Σ, 0.001)", "K/W", "T_j T_a P R_jc R_p n P_Σ",
         "series of thermal resistances: what the part's own way to the sink leaves, over the heat of all that stand on it")
def most(t_junction: Any, ambient: Any, power: Any, r_jc: Any, pad: Any, count: Any, whole: Any) -> Any:
    """Largest resistance [K/W] of a heat sink that carries `whole` [W] and keeps the junction of one part at its limit; count: packages
    side by side that burn `power` [W] together, r_jc [K/W] of all of them, each on a pad [K/W] of its own."""
    return (t_junction - ambient - power * (r_jc + pad / count)) / np.maximum(whole, 1e-3)


@formula("R_s = (T_m − T_a)/max(P_Σ, 0.001)", "K/W", "T_m T_a P_Σ", "definition of the thermal resistance")
def for_warmth(t_most: Any, ambient: Any, whole: Any) -> Any:
    """Largest resistance [K/W] of a heat sink that carries `whole` [W] and stays at or below t_most [°C]."""
    return (t_most - ambient) / np.maximum(whole, 1e-3)


@formula("T_s = T_a + R_s·P_Σ", "°C", "T_a R_s P_Σ", "definition of the thermal resistance")
def temperature(ambient: Any, r_sink: Any, whole: Any) -> Any:
    """Temperature [°C] of a heat sink of r_sink [K/W] that carries `whole` [W]."""
    return ambient + r_sink * whole


@formula("T_j = T_s + P·(R_jc + R_p/n)", "°C", "T_s P R_jc R_p n", "series of thermal resistances")
def junction(t_sink: Any, power: Any, r_jc: Any, pad: Any, count: Any) -> Any:
    """Junction temperature [°C] on a heat sink of t_sink [°C]; the others as in `most`."""
    return t_sink + power * (r_jc + pad / count)


@formula("V = k/R_s", "m³", "k R_s", "finned sinks of one height and air speed need about so much room for each watt and kelvin")
def volume(share: Any, r_sink: Any) -> Any:
    """Room [m³] about that a finned heat sink of r_sink [K/W] takes; share [m³K/W]: by how the air moves."""
    return share / r_sink
