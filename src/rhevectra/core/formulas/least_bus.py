"""The least bus at which a power stage still gives full load: where its largest duty or its least current limit is reached."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula


@formula("V_x = V_bus·D/D_max", "V", "V_bus D D_max", "the volt-seconds the output asks for stay: duty against bus in inverse proportion")
def by_duty(v_bus: Any, duty: Any, duty_limit: Any) -> Any:
    """Bus [V] at which a step-down stage reaches its largest duty, from its duty at another bus."""
    return v_bus * duty / duty_limit


@formula("V_d = V_or·(1 − D_max)/D_max", "V", "V_or D_max", "volt-second balance of a core that never empties")
def by_reflected(v_reflected: Any, duty_limit: Any) -> Any:
    """Bus [V] at which a flyback reaches its largest duty."""
    return v_reflected * (1 - duty_limit) / duty_limit


@formula("V_s = V_or/k", "V", "V_or k", "the leakage has to be emptied against the bus less the reflected voltage")
def by_share(v_reflected: Any, share: Any) -> Any:
    """Bus [V] of which the reflected voltage is the share k."""
    return v_reflected / share


@formula("V_m = max(0.2·V_bus, V_bus − ½·R·(Î + I_0))", "V", "V_bus R Î I_0",
         "the resistances of the path take their part of the bus at the mean current of the ramp")
def left_of_bus(v_bus: Any, r_on: Any, i_peak: Any, i_start: Any) -> Any:
    """Voltage [V] that drives the ramp of the current, resistances [Ω] of its path taken off; never less than a fifth of the bus, as the
    ramp itself has it."""
    return np.maximum(0.2 * v_bus, v_bus - 0.5 * r_on * (i_peak + i_start))


@formula("V_p = V_bus·V_or/(V_bus + V_or)", "V", "V_bus V_or", "bus times the duty of a core that never empties")
def mean_voltage(v_bus: Any, v_reflected: Any) -> Any:
    """Bus [V] times duty of a flyback in continuous conduction: its power over it is the mean current while the switch is on."""
    return v_bus * v_reflected / (v_bus + v_reflected)


@formula("P_x = V_p·(Î − V_p/(2·L·f_s))", "W", "V_p Î L f_s", "mean of the current's slope times bus and duty")
def power_continuous(v_mean: Any, i_peak: Any, lp: Any, fs: Any) -> Any:
    """Power [W] a flyback takes up in continuous conduction, from its peak current [A]."""
    return v_mean * (i_peak - v_mean / (2 * lp * fs))


@formula("P_x = L·Î²·f_s/2", "W", "L Î f_s", "energy of a core that empties, times its rate")
def power_emptied(lp: Any, i_peak: Any, fs: Any) -> Any:
    """Power [W] a flyback takes up where its core empties in every period."""
    return lp * np.square(i_peak) * fs / 2


@formula("V_q = L·f_s·(I − √(max(0, I² − 2·P_x/(L·f_s))))", "V", "L f_s I P_x",
         "the same power at a peak current of I: the lower solution of the quadratic")
def mean_voltage_at(lp: Any, fs: Any, i_limit: Any, power: Any) -> Any:
    """Bus times duty [V] at which a flyback that gives `power` peaks at i_limit [A]."""
    return lp * fs * (i_limit - np.sqrt(np.maximum(0.0, np.square(i_limit) - 2 * power / (lp * fs))))


@formula("V_q = P_x·L·I/max(L·I²/2 − P_x·t_v, 0.001·L·I²)", "V", "P_x L I t_v",
         "energy of a core that is refilled half a ring after it is empty, times the rate of ramp, discharge and ring")
def mean_voltage_refilled(power: Any, lp: Any, i_limit: Any, t_valley: Any) -> Any:
    """Bus times duty [V], both of ramp and discharge alone, at which a valley-switching flyback that gives `power` peaks at i_limit [A];
    five hundred times what it would be without the ring where no bus would do."""
    energy = lp * np.square(i_limit)
    return power * lp * i_limit / np.maximum(energy / 2 - power * t_valley, 0.001 * energy)


@formula("V_i = V_q·V_or/max(V_or − V_q, 0.01·V_or) + R·P_x/max(V_q, P_x/I, 0.000001)", "V", "V_q V_or R P_x I",
         "bus whose product with the duty is V_q, and what the mean current of the ramp, no more than its peak, loses in the resistances")
def by_current(v_mean: Any, v_reflected: Any, r_on: Any, power: Any, i_limit: Any) -> Any:
    """Bus [V] at which the limit is reached; a hundred times V_q where no bus would do."""
    return (v_mean * v_reflected / np.maximum(v_reflected - v_mean, 0.01 * v_reflected)
            + r_on * power / np.maximum(np.maximum(v_mean, power / i_limit), 1e-6))


@formula("I_x = I_line·V_bus/V_x", "A", "I_line V_bus V_x",
         "the same power from a bus, and a line, that much lower, in pulses of the same shape (upper bound: they broaden)")
def line_current(i_line: Any, v_bus: Any, v_least: Any) -> Any:
    """Line current rms [A] behind a plain bridge when the line has sagged until the bus is at v_least [V], from that at another bus."""
    return i_line * v_bus / v_least
