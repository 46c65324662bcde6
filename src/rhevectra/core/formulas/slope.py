"""What slope compensation is at a resistor, and what a limit that sees it has lost when the pulse ends."""

from typing import Any

from rhevectra.core.basis.formula import formula


@formula("m_R = m_c·R_cs/n", "V/s", "m_c R_cs n", "the resistor turns amperes into volts, behind a current transformer fewer of them")
def at_resistor(slope: Any, r: Any, ratio: Any) -> Any:
    """Slope at the sense resistor [V/s] that is `slope` [A/s] in the switch's path."""
    return slope * r / ratio


@formula("I_z = m_c·V_or/((V_bus + V_or)·f_s)", "A", "m_c V_or V_bus f_s", "ramp times the pulse of a core that never empties")
def lost_in_pulse(slope: Any, v_reflected: Any, v_bus: Any, fs: Any) -> Any:
    """Part of the current limit [A] that a ramp has taken when a flyback's pulse ends."""
    return slope * v_reflected / ((v_bus + v_reflected) * fs)


@formula("I_z = m_c·t_e", "A", "m_c t_e", "definition")
def lost_in(slope: Any, t_on: Any) -> Any:
    """The same when a pulse of t_on [s] ends."""
    return slope * t_on


@formula("I_min = I_lim·(1 − δ) − I_z", "A", "I_lim δ I_z", "the limit trips on current and ramp together")
def least_limit(i_limit: Any, tolerance: Any, lost: Any) -> Any:
    """Least current [A] at which a limit trips that sees the ramp."""
    return i_limit * (1 - tolerance) - lost


@formula("I_x = I_k − I_z·N_p/N_s", "A", "I_k I_z N_p N_s", "what the limit loses on the primary side is missing at the output")
def less_behind(i_out: Any, lost: Any, turns_primary: Any, turns_secondary: Any) -> Any:
    """Output current [A] at which a limit holds that sees the ramp, from that at one that does not."""
    return i_out - lost * turns_primary / turns_secondary


@formula("I_x = Î_lim − I_z", "A", "Î_lim I_z", "the limit trips on current and ramp together")
def less(i_limit: Any, lost: Any) -> Any:
    """Current [A] a limit lets pass in a steady period that sees the ramp."""
    return i_limit - lost
