"""Switch-on and surges: energy and melting integral of the charging current, cold and on a hot restart; what an arrester lets through."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("E = ½·C·V̂²", "J", "C V̂", "charging a capacitor through a resistance turns as much into heat as it stores")
def charging_energy(c: Any, v_peak: Any) -> Any:
    """Heat [J] in what limits the current while the bus is charged from nothing."""
    return 0.5 * c * np.square(v_peak)


@formula("J = E/(R_l + R_s)", "A²s", "E R_l R_s", "all of that heat in the resistances of the path (upper bound: the sine falls meanwhile)")
def melting_integral(energy: Any, r_limiter: Any, r_source: Any) -> Any:
    """Integral of the squared current [A²s] while the bus is charged."""
    return energy / (r_limiter + r_source)


@formula("J_m = k·5·I_n²", "A²s", "k I_n",
         "melting integral of a time-lag fuse for its rated current (typical, from memory), of which a share k is used")
def fuse_melts(share: Any, rated: Any) -> Any:
    """Melting integral [A²s] that a time-lag fuse is given."""
    return share * 5 * np.square(rated)


@formula("V_c = 2.6·V_a", "V", "V_a",
         "clamping voltage of a metal-oxide arrester at its class current over its largest continuous voltage (typical, from memory)")
def arrester_clamps(v_class: Any) -> Any:
    """Voltage [V] an arrester lets through."""
    return 2.6 * v_class


@formula("λ = P/√(P² + (2·π·f·C_x·V_line²)²)", "", "P f C_x V_line", "the current of the X capacitors stands across that of the power")
def displaced(power: Any, f_line: Any, c_x: Any, v_line: Any) -> Any:
    """Power factor that X capacitors leave of a sine in step with the line."""
    return power / np.sqrt(np.square(power) + np.square(2 * np.pi * f_line * c_x * np.square(v_line)))
