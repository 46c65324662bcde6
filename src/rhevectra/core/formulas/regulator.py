"""A linear regulator behind an output that no loop holds."""

from typing import Any

from rhevectra.core.basis.formula import formula


@formula("V_d = V_in − ΔV/2 − V_o", "V", "V_in ΔV V_o", "Kirchhoff at the trough of the ripple")
def across(v_in: Any, ripple_pp: Any, v_out: Any) -> Any:
    """Voltage [V] that is left across a regulator at the trough of the ripple before it [V peak to peak]."""
    return v_in - ripple_pp / 2 - v_out


@formula("V̂_in = V_in + ΔV/2", "V", "V_in ΔV", "crest of the ripple")
def crest(v_in: Any, ripple_pp: Any) -> Any:
    """Greatest voltage [V] before a regulator."""
    return v_in + ripple_pp / 2


@formula("P = V_in·(I + I_g) − V_o·I", "W", "V_in I I_g V_o", "what goes in less what comes out")
def burnt(v_in: Any, i: Any, i_ground: Any, v_out: Any) -> Any:
    """Loss [W] of a regulator that passes a current i and takes i_ground for itself [A]."""
    return v_in * (i + i_ground) - v_out * i


@formula("ΔV_o = ΔV/10^(a/20)", "V", "ΔV a", "definition of the rejection in decibel")
def passed(ripple_pp: Any, rejection: Any) -> Any:
    """Ripple [V peak to peak] that comes through a regulator of a rejection [dB]."""
    return ripple_pp / 10 ** (rejection / 20)
