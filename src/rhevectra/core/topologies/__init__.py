"""The topologies, all behind one protocol; the registry is the only place that lists them."""

from rhevectra.core.basis.registry import Registry

TOPOLOGIES = Registry(__name__, {
    "flyback": "flyback", "flyback_2sw": "two-switch flyback", "flyback_qr": "quasi-resonant flyback",
    "forward_2sw": "two-switch forward", "forward_active_clamp": "forward, active clamp", "forward_reset": "forward, reset winding",
    "full_bridge": "full bridge", "half_bridge": "half bridge", "llc_full": "LLC full bridge", "llc_half": "LLC half bridge", "llc_three_phase": "LLC, three phases",
    "psfb": "phase-shifted bridge", "push_pull": "push-pull", "buck_aux": "buck, not isolated"})
