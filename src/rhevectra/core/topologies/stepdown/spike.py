"""The clamp where another winding holds the open switch: one resistor and one capacitor from the switches back to the input."""

from typing import Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.preferred import at_least, at_most
from rhevectra.core.formulas import spike
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.stepdown import stage as st

RIPPLE = 0.1
"""Ripple on the clamp's capacitor, share of its voltage (common practice)."""
IDLE_SHARE = 0.0005
"""Least the resistor takes, share of the output power: where the nodes alone hold the spike."""


def choose_spike(work: Work, s: st.Stage, out: dict[str, Any]) -> st.Stage:
    """Resistor and capacitor for the worst corner, from the settled numbers of the wound stage."""
    share = work.choose("transformer.leakage_halves", 0.2, "bifilar windings (typical, from memory)")
    l_half = float(share.value) * s.leakage
    aim = float(work.sheet.rows["switch.spike"].value) * float(np.max(s.v_bus))
    top, rate = float(np.max(s.v_bus)), s.variant.pulses * float(s.fs)
    held, nodes = np.asarray(s.v_bus) * (float(s.np) / float(s.nr) if s.variant.reset else 1.0), s.variant.pulses
    room = aim + top + float(np.max(held)) - s.v_bus - held  # every corner may reach what the highest input may
    left = np.maximum(spike.left_current(out["i_peak"], nodes, s.c_node, held, s.leakage), 1e-3)
    step = spike.swing(s.v_bus, out["fs"], out["t_on"], st.RING_QUALITY, s.leakage, out["c_p"])
    emptied = spike.emptying(l_half, s.leakage, room, held, np.square(spike.of_core(out["i_mag"], left) / left))
    wanted = min(float(np.min(spike.resistor(room, held, rate, emptied, left, s.c_node, nodes, step))),
                 top**2 / (IDLE_SHARE * work.need.power))
    r = work.choose("spike.r", lambda: float(at_most(wanted, "E12")),
                    "largest E12 value that keeps the spike at every corner, the current limit among them")
    work.choose("spike.c", lambda: float(at_least(1 / (RIPPLE * float(r.value) * rate), "E6")),
                f"ripple of {RIPPLE * 100:g} % of its voltage")
    return replace(s, spike={"r": float(r.value), "l_half": l_half})


def record(work: Work, s: st.Stage, o: dict[str, Any]) -> None:
    """Rows of switch voltage and capacitor ripple."""
    sheet = work.sheet
    sheet("spike.ripple", spike.ripple, v_held=o["held"], excess=o["spike_u"], r=s.spike["r"], fs=o["fs"], c=sheet.rows["spike.c"])
