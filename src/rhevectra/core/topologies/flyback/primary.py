"""What flows through switch and primary in a period, and what it takes from the bus."""

from collections.abc import Mapping
from typing import Any

from rhevectra.core.formulas import flyback, node_current
from rhevectra.core.formulas.clamp import RING_QUALITY


def primary(sheet: Any, s: Any, o: Mapping[str, Any]) -> dict[str, Any]:
    """Rms of switch and primary, and the charge drawn from the bus. What lifts the node and rings with it is little beside the load, except
    in a supply of some watts from a high bus. The clamp's current goes round beside the bus."""
    node = {"fs": o["fs"], "c_node": s.c_node}
    i_sw = sheet("switch.i_rms", flyback.switch_rms, fs=o["fs"], t_ramp=o["t_ramp"], i_start=o["i_start"], i_peak=o["i_peak"],
                 t_com=o["t_com"], i_end=o["i_end"])
    rise = sheet("transformer.i_rms_rise", node_current.rise_rms, i_peak=o["i_peak"], lp=s.lp, v_bus=s.v_bus, v_reflected=o["v_or"], **node)
    rings = {"i_ring": sheet("transformer.i_rms_ring", node_current.leakage_ring_rms, i_one=o["i_one"], i_clamp=o["i_clamp"],
                             leakage=s.leakage, t_off=o["t_off"], quality=RING_QUALITY, **node),
             "i_free": sheet("transformer.i_rms_free", node_current.free_ring_rms, v_reflected=o["v_or"], lp=s.lp, tau=o["tau"],
                             t_idle=o["t_idle"], **node)}
    pulse = sheet("transformer.i_rms_pulse", node_current.pulse_rms, i_switch=i_sw, i_rise=rise)
    heat = sheet("transformer.i_rms_heat", flyback.heating_rms, i_pulse=pulse, fs=o["fs"], t_clamp=o["t_clamp"], i_clamp=o["i_clamp"])
    return {"i_switch": i_sw, "i_heat": heat,
            "i_drawn": sheet("transformer.i_rms_drawn", node_current.with_rings, current=pulse, **rings),
            "i_primary": sheet("transformer.i_rms_primary", node_current.with_rings, current=heat, **rings),
            "q_bus": sheet("switch.q_bus", flyback.bus_charge, i_peak=o["i_peak"], i_start=o["i_start"], t_ramp=o["t_ramp"], r_on=o["r_on"],
                           lp=s.lp, i_end=o["i_end"], t_com=o["t_com"], v_bus=s.v_bus, r_core=o["r_core"], c_node=s.c_node,
                           v_turn_on=o["v_turn_on"])}
