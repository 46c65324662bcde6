"""The topologies, all behind one protocol; the registry is the only place that lists them."""

from rhevectra.core.basis.registry import Registry
from rhevectra.core.basis.requirement import Requirement

TOPOLOGIES = Registry(__name__, {
    "flyback": "flyback", "flyback_2sw": "two-switch flyback", "flyback_qr": "quasi-resonant flyback",
    "forward_2sw": "two-switch forward", "forward_active_clamp": "forward, active clamp", "forward_reset": "forward, reset winding",
    "full_bridge": "full bridge", "half_bridge": "half bridge", "llc_full": "LLC full bridge", "llc_half": "LLC half bridge",
    "llc_three_phase": "LLC, three phases",
    "psfb": "phase-shifted bridge", "push_pull": "push-pull", "buck_aux": "buck, not isolated"})
SMALL, MIDDLE, LARGE = 100.0, 250.0, 1000.0
"""Output power [W] up to which a flyback, a forward and a half bridge are the habit (common practice, no source)."""
BATTERY, STIFF, HEAVY, PULSED, ADJUSTED = 80.0, 1.3, 40.0, 20.0, 1.25
"""Highest dc source [V] of the battery kind; ranges of bus and output over which a resonant stage is still the habit; output currents [A]
from which a filter inductor is preferred to it, and to the pulses of a flyback (common practice, no source)."""


def usual_topology(need: Requirement, stiff: bool) -> tuple[str, str]:
    """The topology where nobody chose one, and why: the habit of the power class, for the Contest to prove or disprove. stiff: the front
    end holds the bus."""
    power, out = need.power, need.outputs[need.main]
    if power <= SMALL and out.current_max <= PULSED:
        return "flyback", f"the usual one up to some {SMALL:g} W; the Contest compares all"

    def habit(where: str) -> str:
        return f"a habit at {power:.0f} W{where} (common practice); the Contest compares all"
    if need.is_dc and need.mains.v_max <= BATTERY:
        return ("forward_active_clamp" if power <= MIDDLE else "push_pull" if power <= LARGE else "full_bridge"), habit(
            " from a low dc source")
    narrow = stiff or (need.is_dc and need.mains.v_max <= STIFF * need.mains.v_min)
    if narrow and out.current_max <= HEAVY and out.magnitude <= ADJUSTED * out.least:
        return ("llc_half" if power <= LARGE else "llc_full"), habit(" behind a bus that hardly moves")
    return ("forward_2sw" if power <= MIDDLE else "half_bridge" if power <= LARGE else "full_bridge"), habit("")
