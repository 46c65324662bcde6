"""Gate drive of the power switches: charge and heat, what a driver has to sink, and how the drive gets to a switch whose source moves."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.preferred import at_least
from rhevectra.core.basis.sheet import Row, plain
from rhevectra.core.formulas import gate
from rhevectra.core.stages import beside, rate
from rhevectra.core.stages.work import FigureSpec, Work

BOOTSTRAP, TRANSFORMER = "bootstrap", "transformer"
FULL, PLATEAU = {"wide-gap": 6.0}, {"wide-gap": 2.5}
SILICON, MILLER = 12.0, 5.0
"""Gate voltage, and that at which a gate stands while its switch turns off [V], of silicon; of gallium nitride above (typical, from
memory)."""
SHARE = 0.4
"""Share of the gate's charge that is moved while a switch turns off (typical, from memory)."""
QUIET = 0.15e-3
"""What a floating driver takes [A] (typical, from memory)."""
SKEW, DEAD_ROOM = 50e-9, 1.1
DEAD = ("switch.dead_time", "psfb.dead_leading", "active.dead_time")
"""What the delays of two drivers may differ by [s] (half-bridge drivers 20 to 60 ns; common practice), what the rule leaves over the need,
and the decisions that are dead times."""
LEAST = 10e-9
"""Least bootstrap capacitor [F] that is worth its place beside a driver's own spikes (common practice, no source)."""
DECISIONS = (
    DecisionSpec("gate.v", "Gate voltage", "switch", unit="V", low=3.0, high=25.0,
                 schools="10 to 12 V: superjunction and trench; 5 to 6 V: gallium nitride; 15 to 18 V: silicon carbide"),
    DecisionSpec("gate.floating", "Drive of switches whose source moves", "switch", "choice", options=(BOOTSTRAP, TRANSFORMER),
                 schools="bootstrap: a diode and a capacitor, where the node comes down in every period; transformer: whatever the node "
                 "does, and no driver up there"),
    DecisionSpec("gate.droop", "Droop of a bootstrap supply", "switch", unit="V", low=0.05, high=3.0,
                 schools="0.3 to 0.5 V; 1 V where the driver's lock-out stands far below"),
    DecisionSpec("gate.c_boot", "Bootstrap capacitor", "switch", unit="F", low=1e-9, high=1e-4, step="E6"),
)
FIGURES = (
    FigureSpec("gate.power", "Heat of driving the gates", "P_g", "switch", corners.FULL, fixed="charge of the class at its usual voltage",
               sentence="of all power switches; it is counted in what the controller takes"),
    FigureSpec("gate.i_off", "Driver, sink current", "I_off", "switch", corners.FULL, fixed="plateau and share of the charge typical",
               sentence="of each switch, for the fall time the losses are worked out with"),
    FigureSpec("gate.r_off", "Turn-off path of a gate, at most", "R_off", "switch", corners.FULL,
               fixed="plateau and share of the charge typical",
               sentence="gate resistor, driver and gate together, of each switch; turn-on as slow as noise asks for"),
    FigureSpec("pfc.gate_i_off", "Driver, sink current", "I_off", "pfc", corners.FULL, fixed="plateau and share of the charge typical",
               sentence="of each switch, for the fall time the losses are worked out with"),
    FigureSpec("pfc.gate_r_off", "Turn-off path of a gate, at most", "R_off", "pfc", corners.FULL,
               fixed="plateau and share of the charge typical", sentence="gate resistor, driver and gate together, of each switch"),
    FigureSpec("gate.dead_need", "Dead time the gates need", "t_g", "switch", corners.FULL, "max", "gate.dead_left", "max",
               fixed="a gate emptied at the sink current; edges of the node", sentence="against the one there is at the largest duty: "
               "never both switches of a leg on"),
    FigureSpec("gate.c_boot", "Bootstrap capacitor", "C_b", "switch", corners.FULL, "min", "gate.c_boot_least", "min",
               fixed="after a pause the lower switch has to open first",
               sentence="holds the floating gate until the node comes down again"),
    FigureSpec("gate.v_boot", "Bootstrap diode, reverse voltage", "V̂_b", "switch", corners.PEAKS, fixed="stray inductance of the leg"),
    FigureSpec("gate.vs", "Gate transformer, flux linkage of a winding", "λ_g", "switch", corners.RUN, "max",
               sentence="what its core has to stand; its windings are insulated for the bus"),
)

def record(work: Work, stage: Any, count: int, floating: int, usual: str) -> None:
    """Rows of the gates of the `count` switches of a power stage, of which so many have a source that moves; usual: how these are driven.
    Nothing of switches that have their driver inside."""
    rows = work.sheet.rows
    row = work.parts["switches"].row(str(rows["switch.class"].value))
    if row["kind"] == "integrated":
        return
    sheet, pulses = work.sheet, rows["switch.frequency"]
    charge, sunk = edge(work, "gate.", row)
    volts = work.choose("gate.v", FULL.get(row["kind"], SILICON), "usual for the class (typical, from memory)")
    sheet("gate.i_avg", gate.average, q_gate=charge, fs=pulses)
    sheet("gate.power", gate.power, count=count, v_gate=volts, q_gate=charge, fs=pulses)
    _dead(work, charge, sunk, by_turns(stage))
    if floating:
        _floating(work, usual, charge, volts)


def edge(work: Work, name: str, row: Mapping[str, Any]) -> tuple[Row, Row]:
    """Rows of a gate of a class (names begin with `name`): its charge and what has to be sunk, which are returned, and the path for it."""
    sheet = work.sheet
    charge = sheet.given(f"{name}q", row["q_gate_c"], "C", "catalogue", f"class {row['name']}")
    share = sheet.given("gate.share", SHARE, "", "rule", "moved while it turns off (typical, from memory)")
    t_fall = sheet.given(f"{name}t_fall", row["t_fall_s"], "s", "catalogue", "current fall time of the class")
    plateau = sheet.given(f"{name}v_plateau", PLATEAU.get(row["kind"], MILLER), "V", "rule", "where the gate stands while the switch turns "
                          "off (typical, from memory)")
    sunk = sheet(f"{name}i_off", gate.sunk, share=share, q_gate=charge, t_fall=t_fall)
    sheet(f"{name}r_off", gate.resistor, v_plateau=plateau, i_off=sunk)
    return charge, sunk


def by_turns(stage: Any) -> bool:
    """Whether two switches of a power stage take turns in a period."""
    return bool(getattr(getattr(stage, "variant", None), "both_ways", False))


def least_dead(work: Work) -> float:
    """Least dead time [s] a rule chooses with the switch class that was chosen."""
    row = work.parts["switches"].row(str(work.sheet.rows["switch.class"].value))
    return float(DEAD_ROOM * gate.dead_needed(row["q_gate_c"], gate.sunk(SHARE, row["q_gate_c"], row["t_fall_s"]), SKEW))


def _dead(work: Work, charge: Any, sunk: Any, turns: bool) -> None:
    """Rows of the dead time there is and of what the gates need of it, where two switches must not conduct together."""
    sheet, rows = work.sheet, work.sheet.rows
    decided = [rows[id] for id in DEAD if id in rows]
    if decided:
        sheet.again("gate.dead_left", decided[0])
    elif turns:
        sheet("gate.dead_left", gate.dead_left, duty=rows["switch.duty_limit"], fs=rows["fs"], tolerance=rows[rate.ID])
    else:
        return
    sheet("gate.dead_need", gate.dead_needed, q_gate=charge, i_off=sunk,
          skew=sheet.given("gate.skew", SKEW, "s", "rule", "what the delays of two drivers differ by (common practice)"))


def _floating(work: Work, usual: str, charge: Any, volts: Any) -> None:
    """Rows of what drives the gates whose source moves."""
    sheet, rows = work.sheet, work.sheet.rows
    way = work.choose("gate.floating", usual, "the node comes down in every period" if usual == BOOTSTRAP
                      else "nothing brings the node down before the first pulse, or at light load").value
    if way == TRANSFORMER:
        sheet("gate.vs", gate.volt_seconds, v_gate=volts, duty=rows["switch.duty_max"] if "switch.duty_max" in rows
              else sheet.given("gate.duty", 0.5, "", "rule", "half the period"), fs=rows["switch.frequency"])
        return
    droop = work.choose("gate.droop", 0.5, "well above a driver's lock-out (common practice)")
    slowest = sheet.given("gate.f_least", _least_rate(work), "Hz", "solved", "least rate at full load of all lines")
    quiet = sheet.given("gate.i_quiet", QUIET, "A", "rule", "of a floating driver (typical, from memory)")
    if (count := beside.number(rows)) > 1:
        charge = sheet.total("gate.q_beside", "C", "gates side by side", **{f"switch{k}": charge for k in range(1, count + 1)})
    given = sheet("gate.q_boot", gate.carried, q_gate=charge, i_quiet=quiet, f_least=slowest)
    least = sheet("gate.c_boot_least", gate.bootstrap, q_boot=given, droop=droop)
    work.choose("gate.c_boot", lambda: at_least(max(2 * float(least.value), LEAST), "E6"), "E6: twice the least, as ceramics lose half of "
                "it under voltage")
    sheet.again("gate.v_boot", rows["bus.v"])  # its cathode rides on the bus by the voltage its anode has


def _least_rate(work: Work) -> float:
    """Least rate at full load [Hz]; where pulses are left out, the lower switch opens first after the pause."""
    pulses = np.broadcast_to(plain(work.sheet.rows["switch.frequency"]), work.grid.shape)
    return float(pulses[np.broadcast_to(corners.FULL.mask(work.grid), work.grid.shape)].min())
