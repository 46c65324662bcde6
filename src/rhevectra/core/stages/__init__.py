"""Front ends, clamps and what follows the transformer: one file each. The registries are the only place that lists them."""

from types import ModuleType

from rhevectra.core.stages import active, avalanche, dc_input, doubler, pfc_bridgeless, pfc_ccm, pfc_crm, pfc_interleaved, pfc_three_phase, plain, rcd, rcd_zener, unclamped, zener

FRONT_ENDS: dict[str, ModuleType] = {m.NAME: m for m in (plain, doubler, pfc_crm, pfc_ccm, pfc_interleaved, pfc_bridgeless, pfc_three_phase)}
DC_FRONT_END: ModuleType = dc_input


def front_ends_for(mains: str) -> dict[str, ModuleType]:
    """Front ends that stand behind a kind of mains."""
    return {name: m for name, m in FRONT_ENDS.items() if mains == m.MAINS}


CLAMPS: dict[str, ModuleType] = {m.NAME: m for m in (rcd, zener, rcd_zener, active, avalanche)}
"""What may become of the leakage energy where nothing hands it back, the usual clamp first."""
UNCLAMPED: dict[str, ModuleType] = {unclamped.NAME: unclamped}


def clamps_for(topology: ModuleType) -> dict[str, ModuleType]:
    """Clamps that go with a topology, the usual one first: it says whether its leakage energy needs one."""
    return {name: m for name, m in CLAMPS.items() if name not in topology.CLAMPS_LEFT_OUT} if topology.NEEDS_CLAMP else UNCLAMPED
