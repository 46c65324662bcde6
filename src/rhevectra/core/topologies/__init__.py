"""The topologies, all behind one protocol; the registry is the only place that lists them."""

from types import ModuleType

from rhevectra.core.topologies import buck_aux, flyback, flyback_2sw, flyback_qr, forward_2sw, forward_active_clamp, forward_reset, full_bridge, half_bridge, llc_full, llc_half, llc_three_phase, psfb, push_pull

TOPOLOGIES: dict[str, ModuleType] = {m.NAME: m for m in (flyback, flyback_2sw, flyback_qr, forward_2sw, forward_active_clamp, forward_reset, full_bridge, half_bridge, llc_full, llc_half, llc_three_phase, psfb, push_pull, buck_aux)}
