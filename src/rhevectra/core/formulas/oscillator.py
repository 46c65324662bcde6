"""The ends of an oscillator's rate."""

from typing import Any

from rhevectra.core.basis.formula import formula


@formula("f_x = f·(1 − t)", "Hz", "f t", "the low end of its tolerance")
def least_rate(fs: Any, tolerance: Any) -> Any:
    """Least rate [Hz] of an oscillator."""
    return fs * (1 - tolerance)


@formula("f_s = f_b/(1 − t)", "Hz", "f_b t", "the low end of its tolerance then lies at the border")
def lowest_setting(border: Any, tolerance: Any) -> Any:
    """Rate [Hz] to set so that the least of it is `border`."""
    return border / (1 - tolerance)
