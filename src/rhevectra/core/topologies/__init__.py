"""The topologies, all behind one protocol; the registry is the only place that lists them."""

from rhevectra.core.basis.registry import Registry

TOPOLOGIES = Registry(__name__, ("flyback", "flyback_2sw", "flyback_qr", "forward_2sw", "forward_active_clamp", "forward_reset", "full_bridge", "half_bridge", "llc_full", "llc_half", "llc_three_phase", "psfb", "push_pull", "buck_aux"))
