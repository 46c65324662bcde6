"""A working supply made to give another voltage or current from the same primary side."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("N = N_o·(V + V_f)/(V_o + V_fo)", "turns", "N_o V_o V_fo V V_f", "the same volts on every turn, rectifier drops included")
def turns_for(turns_old: Any, v_old: Any, drop_old: Any, v: Any, drop: Any) -> Any:
    """Turns (a fraction) that give another output at the volts per turn there are."""
    return turns_old * (v + drop) / (v_old + drop_old)


@formula("k = (V + V_f)/N·N_o/(V_o + V_fo)", "", "N_o V_o V_fo V V_f N",
         "a loop holds the output: whole turns leave the rest to the volts per turn")
def volts_per_turn_ratio(turns_old: Any, v_old: Any, drop_old: Any, v: Any, drop: Any, turns: Any) -> Any:
    """Volts per turn after the rework over those before it. In a flyback every other winding, the reflected voltage and the drain above the
    bus follow it; behind an output choke the duty does."""
    return (v + drop) / turns * turns_old / (v_old + drop_old)


@formula("N_L = N_Lo·√(V·I_o/(V_o·I))", "turns", "N_Lo V_o I_o V I",
         "the same share of ripple in the same core and gap: L goes with V/I, N with √L")
def choke_turns(turns_old: Any, v_old: Any, i_old: Any, v: Any, i: Any) -> Any:
    """Turns (a fraction) of the output choke in its core and gap."""
    return turns_old * np.sqrt(v * i_old / (v_old * i))


@formula("B/B_o = √(V·I/(V_o·I_o))", "", "V_o I_o V I", "flux follows ampere-turns in the same gap")
def choke_flux_ratio(v_old: Any, i_old: Any, v: Any, i: Any) -> Any:
    """Flux of the choke after the rework over that before it."""
    return np.sqrt(v * i / (v_old * i_old))


@formula("V_r = V + V_bus·N/N_p", "V", "V V_bus N N_p",
         "the rectifier blocks its cathode's voltage (nothing where it feeds a choke) and what the bus gives across its winding")
def reverse_voltage(v: Any, v_bus: Any, turns: Any, turns_primary: Any) -> Any:
    """Voltage [V] the rectifier of a winding blocks, without its ring."""
    return v + v_bus * turns / turns_primary
