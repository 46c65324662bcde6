"""How far a load may rise until the current limit takes over, as a share of full load."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_k = √(max((½·V_v)², V_c² − k·(V_c² − V_v²)))", "V", "V_v V_c k",
         "what the bulk gives between two crests grows with the load: its valley's square falls in proportion, to half of it at most")
def bus_under(v_bus: Any, v_crest: Any, share: Any) -> Any:
    """Bus [V] under `share` times the load that leaves v_bus of the crest v_crest [V]."""
    return np.sqrt(np.maximum(np.square(0.5 * v_bus), np.square(v_crest) - share * (np.square(v_crest) - np.square(v_bus))))


@formula("k_v = max(0, V_c² − V_x²)/max(V_c² − V_v², 0.01·V_c²)", "", "V_c V_x V_v",
         "load under which the valley falls to the least bus; a bus that hardly sags is taken to sag by half a per cent")
def share_by_bus(v_crest: Any, v_least: Any, v_bus: Any) -> Any:
    """Share of full load under which a bus of the crest v_crest [V], that falls to v_bus [V] at full load, falls to v_least [V]."""
    crest = np.square(v_crest)
    return np.maximum(0.0, crest - np.square(v_least)) / np.maximum(crest - np.square(v_bus), 0.01 * crest)


@formula("I_d = I_m − I_k − f_s·(E_off/V_or + V_or·t_off/R_c)", "A", "I_m I_k f_s E_off V_or t_off R_c",
         "of what the core discharges the clamp takes its part, turn-off and core loss theirs")
def given(i_mean: Any, i_clamp: Any, fs: Any, e_off: Any, v_reflected: Any, t_off: Any, r_core: Any) -> Any:
    """Current [A] the outputs get, seen from the primary."""
    return i_mean - i_clamp - fs * (e_off / v_reflected + v_reflected * t_off / r_core)


@formula("k = I_d/I_s·P_x/P_k", "", "I_d I_s P_x P_k",
         "what the outputs get in the period at the limit over what they take, by what the core takes up otherwise here")
def share_of_core(i_given: Any, i_secondary: Any, power: Any, as_solved: Any) -> Any:
    """Load at a current limit over full load: i_given [A] what the outputs get in a period that was solved at a limit, i_secondary [A] what
    they take at full load; power, as_solved: what the core takes up here and in that period [W]."""
    return i_given / i_secondary * power / as_solved


@formula("k = I_k/I_o", "", "I_k I_o", "output current at the limit over that of full load")
def share_of_current(at_limit: Any, i_out: Any) -> Any:
    """Load at the current limit over full load."""
    return at_limit / i_out


@formula("f_k = min(f_max, f_lim)", "Hz", "f_max f_lim", "the controller waits for a valley, and no less than its shortest period")
def valley_rate(f_max: Any, f_limit: Any) -> Any:
    """Frequency [Hz] at the current limit of a stage that turns on in a valley."""
    return np.minimum(f_max, f_limit)


@formula("k_h = (I_k/I_x)²", "", "I_k I_x", "heat in a resistance goes with the square of the rms current")
def more_heat(at_limit: Any, at_overload: Any) -> Any:
    """Heat at the limit over that at the overload, from the rms currents of both [A]."""
    return np.square(at_limit / at_overload)


@formula("T_k = T_a + k_h·(T_w − T_a)", "°C", "T_a T_w k_h",
         "rise in proportion to the heat of the copper, cooling and resistance as before")
def lasting(ambient: Any, t_winding: Any, more: Any) -> Any:
    """Temperature [°C] of a winding that is t_winding hot, once its copper gives `more` times the heat for good."""
    return ambient + more * (t_winding - ambient)


@formula("P_k = P + (k_h − 1)·P_c", "W", "P P_c k_h", "what is lost in resistance goes with the square of the current, the rest stays")
def lost(loss: Any, conduction: Any, more: Any) -> Any:
    """Loss [W] of a part whose conduction is `more` times what it was."""
    return loss + (more - 1) * conduction
