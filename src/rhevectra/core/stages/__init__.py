"""Front ends, clamps and what follows the transformer: one file each. The registries are the only place that lists them."""

from collections.abc import Mapping
from types import ModuleType

from rhevectra.core.basis.registry import Registry
from rhevectra.core.stages import dc_input

_BEHIND = {"ac1": {"plain": "bridge and bulk", "doubler": "voltage doubler", "pfc_crm": "PFC, boundary mode",
                   "pfc_ccm": "PFC, continuous mode", "pfc_interleaved": "PFC, interleaved", "pfc_bridgeless": "PFC, bridgeless"},
           "ac3": {"plain_three_phase": "six diodes and bulk", "pfc_three_phase": "PFC, three phases"}}
"""Kind of mains -> front ends that stand behind it, in the order in which they are offered, each with what people call it."""
FRONT_ENDS = Registry(__name__, {name: said for names in _BEHIND.values() for name, said in names.items()})
DC_FRONT_END: ModuleType = dc_input


def front_ends_for(mains: str) -> Registry:
    """Front ends that stand behind a kind of mains."""
    return FRONT_ENDS.only(_BEHIND.get(mains, {}))


CLAMPS = Registry(__name__,
                  {"rcd": "resistor and capacitor", "rcd_slow": "slow diode", "zener": "Zener diodes", "rcd_zener": "both together",
                   "active": "clamp switch", "none": "none: in the switch"}, {"none": "avalanche"})
"""What may become of the leakage energy where nothing hands it back, the usual clamp first."""
UNCLAMPED = Registry(__name__, {"none": "none"}, {"none": "unclamped"})


def clamps_refused(topology: ModuleType) -> Mapping[str, str]:
    """Clamps that do not go with a topology, and why."""
    return topology.CLAMPS_LEFT_OUT if topology.NEEDS_CLAMP else {}


def clamps_for(topology: ModuleType) -> Registry:
    """Clamps that go with a topology, the usual one first: it says whether its leakage energy needs one."""
    return CLAMPS.only([name for name in CLAMPS if name not in clamps_refused(topology)]) if topology.NEEDS_CLAMP else UNCLAMPED
