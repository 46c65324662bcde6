"""Gates: what drives them, and what brings the drive to a switch whose source moves."""

from typing import Any

from rhevectra.core.basis.formula import formula


@formula("I_g = Q_g·f_s", "A", "Q_g f_s", "the charge goes in and out once in a period")
def average(q_gate: Any, fs: Any) -> Any:
    """Mean supply current of one gate [A]."""
    return q_gate * fs


@formula("P_g = n·V_g·Q_g·f_s", "W", "n V_g Q_g f_s", "whatever the resistors, the charge is taken at the gate's voltage and ends as heat")
def power(count: Any, v_gate: Any, q_gate: Any, fs: Any) -> Any:
    """Heat of driving all gates [W]."""
    return count * v_gate * q_gate * fs


@formula("I_off = s·Q_g/t_f", "A", "s Q_g t_f", "the share of the charge that lies between conduction and none has to go in the fall time")
def sunk(share: Any, q_gate: Any, t_fall: Any) -> Any:
    """Current [A] a driver has to sink while the switch turns off."""
    return share * q_gate / t_fall


@formula("R_off = V_pl/I_off", "Ω", "V_pl I_off", "the gate stands at its plateau meanwhile")
def resistor(v_plateau: Any, i_off: Any) -> Any:
    """Largest resistance [Ω] of gate resistor, driver and gate together that lets this current through."""
    return v_plateau / i_off


@formula("t_g = Q_g/I_off + t_s", "s", "Q_g I_off t_s", "the gate emptied, and what the delays of two drivers differ by")
def dead_needed(q_gate: Any, i_off: Any, skew: Any) -> Any:
    """Time [s] from one gate's command to open to the other's to close so that never both switches of a leg conduct."""
    return q_gate / i_off + skew


@formula("t_d = (1 − D)/(2·f_s·(1 + t))", "s", "D f_s t", "what the largest duty of half a period leaves of it, at the fastest rate")
def dead_left(duty: Any, fs: Any, tolerance: Any) -> Any:
    """Dead time [s] of a leg whose switches take turns; duty: of half the period, at most."""
    return (1 - duty) / (2 * fs * (1 + tolerance))


@formula("Q_b = Q_g + I_q/f_x", "C", "Q_g I_q f_x", "one turn-on, and what the floating driver takes until the next refresh")
def carried(q_gate: Any, i_quiet: Any, f_least: Any) -> Any:
    """Charge [C] a bootstrap capacitor gives away between two refreshes."""
    return q_gate + i_quiet / f_least


@formula("C_b = Q_b/ΔV_b", "F", "Q_b ΔV_b", "definition")
def bootstrap(q_boot: Any, droop: Any) -> Any:
    """Least bootstrap capacitor [F] whose voltage droops by no more than that [V]."""
    return q_boot / droop


@formula("λ_g = V_g·D/f_s", "Vs", "V_g D f_s", "the gate's voltage for the length of the pulse")
def volt_seconds(v_gate: Any, duty: Any, fs: Any) -> Any:
    """Flux linkage [Vs] of one winding of a gate transformer."""
    return v_gate * duty / fs
