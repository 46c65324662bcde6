"""Front ends, clamps and what follows the transformer: one file each. The registries are the only place that lists them."""

from types import ModuleType

from rhevectra.core.stages import dc_input, doubler, pfc_bridgeless, pfc_ccm, pfc_crm, pfc_interleaved, plain, rcd, unclamped

FRONT_ENDS: dict[str, ModuleType] = {m.NAME: m for m in (plain, doubler, pfc_crm, pfc_ccm, pfc_interleaved, pfc_bridgeless)}
DC_FRONT_END: ModuleType = dc_input
CLAMPS: dict[str, ModuleType] = {m.NAME: m for m in (rcd, unclamped)}
"""A topology says whether its leakage energy needs one; only clamps that take it, or those that do not, then apply."""
