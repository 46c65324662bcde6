"""A divider fed from two outputs: what one is off the other makes up for in part."""

from typing import Any

from rhevectra.core.basis.formula import formula


@formula("R = R_hi/(1 − w)", "Ω", "R_hi w", "what is left of the divider's current flows through it")
def first_resistor(r_high: Any, weight: Any) -> Any:
    """Upper resistor [Ω] to the regulated output, where a share of the current comes from another; r_high [Ω]: of it alone."""
    return r_high / (1 - weight)


@formula("R = (V_2 − V_ref)/(V_ref/R_lo + I_b − (V_o − V_ref)/R_1)", "Ω", "V_2 V_ref R_lo I_b V_o R_1",
         "Kirchhoff at the reference's input")
def second_resistor(v_second: Any, v_ref: Any, r_low: Any, i_bias: Any, v_out: Any, r_first: Any) -> Any:
    """Upper resistor [Ω] to the second output that leaves both where they are asked for."""
    return (v_second - v_ref) / (v_ref / r_low + i_bias - (v_out - v_ref) / r_first)


@formula("s = (V_ref/R_lo + I_b + V_ref/R_1 + V_ref/R_2)/(V_o/R_1 + V_2/R_2)", "", "V_ref R_lo I_b R_1 R_2 V_o V_2",
         "Kirchhoff at the reference's input; all outputs rise and fall together")
def scale(v_ref: Any, r_low: Any, i_bias: Any, r_first: Any, r_second: Any, v_out: Any, v_second: Any) -> Any:
    """By what the loop multiplies all outputs where the second would be v_second [V] with the first at v_out [V]."""
    return (v_ref / r_low + i_bias + v_ref / r_first + v_ref / r_second) / (v_out / r_first + v_second / r_second)


@formula("V = s·V_x", "V", "s V_x", "as the loop scales it")
def scaled(scale: Any, v: Any) -> Any:
    """Output [V] where the loop multiplies all by a factor."""
    return scale * v
