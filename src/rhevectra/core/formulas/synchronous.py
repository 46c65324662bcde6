"""Synchronous switches in parallel: resistance over gate voltage, conduction against gate drive."""

from typing import Any

import numpy as np

from rhevectra.core.basis.formula import formula

CHANNEL, THRESHOLD, FULL_DRIVE = 0.3, 1.8, 10.0
"""Channel's share of the resistance at full drive, threshold [V], full drive [V] of a low-voltage switch (typical, from memory)."""


@formula("r = r_10·(1 − a + a·(10 − V_t)/(V_g − V_t))/n", "Ω", "r_10 a V_t V_g n",
         "the channel's share a falls with the overdrive, the rest does not; n side by side (typical law, from memory)")
def resistance(r_full: Any, channel: Any, threshold: Any, v_gate: Any, count: Any) -> Any:
    """Resistance [Ω] of n synchronous switches at a gate voltage, from one at 10 V."""
    return r_full * (1 - channel + channel * (FULL_DRIVE - threshold) / (v_gate - threshold)) / count


@formula("Q = n·Q_10·V_g/10·max(1, V_g/V_o)", "C", "n Q_10 V_g V_o",
         "charge in proportion to the gate voltage; what is drawn from the output, where a gate voltage above it costs as much power as it "
         "takes")
def gate_charge(count: Any, q_full: Any, v_gate: Any, v_out: Any) -> Any:
    """Charge [C] that one drive of n switches takes from the output."""
    return count * q_full * v_gate / FULL_DRIVE * np.maximum(1.0, v_gate / v_out)


@formula("P = (1.5·k·I_o)²·r + m·Q·V_o·f_s", "W", "k I_o r m Q V_o f_s",
         "conduction at a share k of the load with a form factor of 1.5, and m gate drives a period (common practice)")
def loss(share: Any, i_out: Any, r: Any, positions: Any, charge: Any, v_out: Any, fs: Any) -> Any:
    """Loss [W] of all synchronous switches of an output at a share of its load."""
    return np.square(1.5 * share * i_out) * r + positions * charge * v_out * fs


@formula("s = n·(1 + δ)/(1 + δ + (n − 1)·(1 − δ))", "", "n δ", "one at the low end of the resistances, all others at the high end")
def most_loaded(count: Any, spread: Any) -> Any:
    """Current of the most loaded of n switches side by side over their mean."""
    return count * (1 + spread) / (1 + spread + (count - 1) * (1 - spread))


@formula("P_1 = (P + P_c·(s²·(1 − δ) − 1))/m", "W", "P P_c s δ m",
         "the one of the least resistance takes the most of the current; edges taken alike")
def loss_of_one(power: Any, conduction: Any, over_mean: Any, spread: Any, count: Any) -> Any:
    """Loss [W] of the most loaded of m switches that lose `power` together, `conduction` of it in their resistances."""
    return (power + conduction * (np.square(over_mean) * (1 - spread) - 1)) / count


@formula("I = m·I_1/s", "A", "s I_1 m", "the most loaded of them reaches what one carries")
def carried(over_mean: Any, i_one: Any, count: Any) -> Any:
    """Current [A] that m switches side by side carry where each carries i_one and the most loaded `over_mean` times the mean."""
    return count * i_one / over_mean


@formula("I_1 = s·I/m", "A", "s I m", "definition")
def of_one(over_mean: Any, i_rms: Any, count: Any) -> Any:
    """Rms current [A] of the most loaded of all m that share one."""
    return over_mean * i_rms / count
