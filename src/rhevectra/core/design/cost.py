"""What a design is made of and about what that costs."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.catalogue.tables import PRICES, Table
from rhevectra.core.design.design import Design
from rhevectra.core.design.regulators import behind
from rhevectra.core.magnetics.ring import rings
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.stages import DC_FRONT_END, FRONT_ENDS
from rhevectra.core.stages.inlet import switch_discharges
from rhevectra.core.stages.sinks import SIDES
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common.supply import regulated

CAPACITORS = ("output_capacitors", "bulk_capacitors", "film_capacitors")
BRIDGES = ("bridges", "bridges_three")
PRICED = ("switches", "rectifiers", "boost_diodes", *BRIDGES, "regulators", *CAPACITORS)
"""Tables whose parts can have a price of their own."""
TRIP_PARTS, REGULATOR_PARTS, DISCHARGE_PARTS = 3, 2, 1
"""Small parts of a trip at the output (reference, coupler, resistor), of a supply's regulator (transistor, Zener diode), and the switch
that discharges X capacitors."""


def magnetics_volume(design: Design) -> float:
    """Effective volume [m³] of all wound cores."""
    of_core, of_ring = design.catalogue["cores"].derived(_of_cores), design.catalogue["rings"].derived(_of_rings)
    names = {id.removesuffix(".core"): str(r.value) for id, r in design.rows.items() if id.endswith(".core") and isinstance(r.value, str)}
    return float(sum(design.count(part) * (of_core[n] if n in of_core else of_ring[n]) for part, n in names.items()))


def _of_cores(cores: Table) -> dict[str, float]:
    """Effective volume [m³] of every core by its name."""
    win = cores.derived(windows)
    return dict(zip(win.names, win.effective.volume.tolist(), strict=True))


def _of_rings(table: Table) -> dict[str, float]:
    """The same of every ring."""
    sizes = table.derived(rings)
    return dict(zip(sizes.names, sizes.volume.tolist(), strict=True))


def whole_bill(design: Design) -> dict[str, Any]:
    """Bill of materials of the power stage and of the front end, heat sinks by their resistances [K/W]; fuse, limiter and mains filter are
    left out."""
    power_stage: dict[str, Any] = TOPOLOGIES[design.topology].bill(design)
    if held := behind(design.rows):
        power_stage["regulators"] = [(str(design.rows[f"regulator{n}.class"].value), 1) for n in held]
    power_stage["small"] += TRIP_PARTS * ("feedback.v_trip" in design.rows) + REGULATOR_PARTS * regulated(design.rows)
    power_stage["small"] += DISCHARGE_PARTS * switch_discharges(design.rows)
    front: dict[str, Any] = getattr(FRONT_ENDS.get(design.front_end, DC_FRONT_END), "bill", lambda _: {})(design)
    power_stage["sinks"] = [float(design.rows[f"sink.{side}"].value) for side in SIDES if f"sink.{side}" in design.rows]
    return {k: x + front[k] if k in front else x for k, x in power_stage.items()} | {k: x for k, x in front.items() if k not in power_stage}


def prices(costs: Table) -> dict[str, float]:
    """Relative price by what is bought, or by the name of a part."""
    return {row["name"]: float(row["value"]) for row in costs.rows}


def cost_index(design: Design, bill: Mapping[str, Any], volume: float | None = None) -> float:
    """Relative cost of power stage and front end, without fuse and mains filter, from its bill of materials, 1 being about a 600 V, 0.19 Ω
    switch: by the rules of the table `costs` (an assumption, to be edited to one's own prices), where no price stands under the part's own
    name. volume: of all cores [m³], where it is known."""
    parts, c = design.catalogue, design.catalogue[PRICES].derived(prices)
    total = c["wound"] * bill["wound"] + c["core_cm3"] * (magnetics_volume(design) if volume is None else volume) * 1e6
    total += c["drive"] * bill["drives"] + c["floating_drive"] * bill["floating_drives"]
    total += c["small"] * bill["small"] + c["selector"] * bill.get("selectors", 0)
    total += sum(c["sink"] / r for r in bill.get("sinks", ()))
    for name, count in bill["switches"]:
        row = parts["switches"].row(name)
        total += count * c.get(name, c["switch"] + c["die"] * (row["v_class_v"] / 600) ** 2 / row["r_on_25_ohm"])
    for name, count in bill["rectifiers"]:
        row = parts["rectifiers"].row(name)
        total += count * (c.get(name, c["rectifier"] + c["ampere"] * row["i_rated_a"]) + (c["floating_drive"] if row["q_gate_c"] else 0.0))
    for table in BRIDGES:
        total += sum(count * c.get(name, c["rectifier"] + c["ampere"] * parts[table].row(name)["i_rated_a"])
                     for name, count in bill.get(table, ()))
    for name, count in bill.get("regulators", ()):
        total += count * c.get(name, c["regulator"] + c["ampere"] * parts["regulators"].row(name)["i_rated_a"])
    for name, count in bill.get("boost_diodes", ()):
        row = parts["boost_diodes"].row(name)
        total += count * c.get(name, c["rectifier"] + c["ampere"] * row["i_rated_a"] * (2.0 if row["kind"] == "wide-gap" else 1.0))
    for name, count in (*bill["capacitors"], *bill.get("bulk", ())):
        table = next(t for t in CAPACITORS if name in parts[t].names)
        row = parts[table].row(name)
        total += count * c.get(name,
                               c["capacitor"] + (c["film"] if table == "film_capacitors" else 1.0) * c["storage"]
                               * np.sqrt(row["c_f"] * 1e6 * row["v_class_v"] / 10) / 10)
    return float(total)


def part_count(bill: Mapping[str, Any]) -> int:
    """Parts of power stage and front end that are bought and placed."""
    return int(bill["wound"] + bill["drives"] + bill["floating_drives"] + bill["small"] + bill.get("selectors", 0)
               + len(bill.get("sinks", ()))
               + sum(n for kind in ("switches", "rectifiers", "boost_diodes", *BRIDGES, "regulators", "capacitors", "bulk")
                     for _, n in bill.get(kind, ())))
