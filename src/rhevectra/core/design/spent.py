"""Decisions that have nothing left to give a figure: naming one as a cure would send people on a walk for nothing."""

from typing import Any

import numpy as np

from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages import beside
from rhevectra.core.stages.dies import PULSED
from rhevectra.core.stages.inlet import CELL, DISCHARGE, SWITCH
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.secondary_kinds import BRIDGE
from rhevectra.core.topologies.common.signal import CHARGE, MOVES

BY_LOSS = {"efficiency", "standby.power"}
"""Figures that all losses make."""
OF_VOLTAGE = (".v_reverse", ".v_peak", ".v_switch", ".v_diode")
"""Ends of the ids of figures that ask for a class of a higher voltage."""
OF_CURRENT = ("switch.i_peak", "short.i_peak")
"""Figures that ask for a die that carries enough."""
OF_HEAT = ("switch.case_to_ambient", "switch.runaway")
"""Figures that ask for a die of less resistance."""
REGULATES = {"i_peak": "i_rated_a", "v_in_most": "v_in_max_v", "error": "error"}
"""What of a regulator's class a figure of it asks for."""
LAST = {"start.path": CELL, DISCHARGE: SWITCH, "secondary.kind": BRIDGE, MOVES: CHARGE}
"""What is the last to be tried of a decision, with nothing beyond it."""


def spent(figure: str, id: str, work: Work) -> bool:
    """Whether a decision has nothing left to give a figure: no class beyond the chosen one, no part side by side beyond the last, no bleed
    that is none, no other kind to be tried; or nothing here asks for it."""
    row = work.sheet.rows.get(id)
    return row is None or _at_end(figure, work.choose.specs[id], row.value, work)


def none_left(figure: str) -> str:
    """What is said of classes where the best is chosen already."""
    return "no class holds more; " if figure.endswith(OF_VOLTAGE) else "no class carries enough; " if figure in OF_CURRENT else ""


def _at_end(figure: str, spec: DecisionSpec, value: Any, work: Work) -> bool:
    if spec.table:
        return _best_class(figure, spec.table, value, work)
    if (spec.id == "front_end"
        # without a power factor stage another front end burns more than it spares the bridge, and behind three phases there is no other
        and figure in BY_LOSS):
        return "pfc.v_bus" not in work.choose.specs or len(spec.options) == 1
    if spec.id == "bulk.v_min_stage":  # the least bus may be asked to be higher, but not above the bus there is
        rows = work.sheet.rows
        return figure in rows and float(np.max(rows[figure].value)) >= float(np.min(rows["bus.v"].value))
    if spec.id == "aux.v":  # what the winding is wound for, unless its turns are pinned
        return work.choose.pinned("transformer.naux")
    if spec.id.endswith(".bleed"):
        return figure in BY_LOSS and value == 0
    return bool(value == LAST.get(spec.id, spec.high if spec.id.endswith((".parallel", ".series")) else None))


def _best_class(figure: str, table: str, value: Any, work: Work) -> bool:
    """Whether no other class of a table helps: none for a higher voltage, no die of its voltage that carries enough or has
    less resistance, no rectifier with less loss than a switch, no regulator that bears, carries or holds more."""
    rows = work.parts[table].rows
    own = next((row for row in rows if row["name"] == value), None)
    if own is None:
        return False
    if figure.endswith(OF_VOLTAGE):
        return bool(own.get("v_class_v", 0.0) >= max(row.get("v_class_v", 0.0) for row in rows))
    if table == "regulators" and (of := REGULATES.get(figure.partition(".")[2])):
        return bool(own[of] == (min if of == "error" else max)(row[of] for row in rows))
    if figure in OF_CURRENT and table == "switches":
        most = max(row["i_max_a"] for row in rows if row["v_class_v"] >= own["v_class_v"])
        return bool(own["i_max_a"] >= most or PULSED * beside.number(work.sheet.rows) * most < np.max(work.sheet.rows[figure].value))
    if figure in OF_HEAT and table == "switches":
        return bool(own["r_on_25_ohm"] <= min(row["r_on_25_ohm"] for row in rows if row["v_class_v"] >= own["v_class_v"]))
    return figure in BY_LOSS and own.get("kind") == "synchronous"
