"""Answers that are kept: only for the very same numbers, the oldest go first, and a design is the same to the last bit with and without
them."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest

from rhevectra.core.basis.decisions import Decisions
from rhevectra.core.basis.remembered import forget, remembered
from rhevectra.core.basis.requirement import Mains, Output, Requirement
from rhevectra.core.basis.sheet import Sheet
from rhevectra.core.catalogue.tables import shipped
from rhevectra.core.design.declared import decision_specs
from rhevectra.core.design.grid import make_grid
from rhevectra.core.design.size import READ_OF_FRONT_END, size
from rhevectra.core.stages import clamps_for, front_ends_for
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies import TOPOLOGIES


@dataclass(frozen=True)
class Held:
    at: slice
    values: Any


def test_one_bit_more_is_another_question():
    asked = []

    @remembered(2)
    def total(held: Held, values: Any, share: float = 1.0) -> float:
        asked.append(share)
        return float(np.sum(held.values[held.at]) + share * np.sum(values))
    a, held = np.array([1.0, 2.0]), Held(slice(0, 1), np.array([0.5, 4.0]))
    assert total(held, a) == total(Held(slice(0, 1), np.array([0.5, 4.0])), a.copy()) == 3.5 and len(asked) == 1
    assert total(held, np.array([1.0, np.nextafter(2.0, 3.0)])) > 3.5 and len(asked) == 2
    assert total(Held(slice(0, 2), held.values), a) == 7.5 and len(asked) == 3
    assert total(held, a[:, None]) == 3.5 and len(asked) == 4  # another shape; the first answer is gone by now
    assert total(held, a) == 3.5 and total(held, a) == 3.5 and len(asked) == 5
    assert total(held, a, share=2.0) == 6.5 and len(asked) == 6
    forget()
    assert total(held, a, share=2.0) == 6.5 and len(asked) == 7


class Asked(dict):
    """Pins that remember which of them were looked for."""

    def __init__(self):
        super().__init__()
        self.ids = set()

    def get(self, id, default=None):
        self.ids.add(id)
        return default

    def __contains__(self, id):
        self.ids.add(id)
        return False


@pytest.mark.parametrize("kind", ["ac1", "ac3"])
def test_the_parts_of_a_front_end_ask_for_no_decision_of_topology_or_clamp_but_deratings(kind):
    """What is kept of a front end between designs may depend on its own decisions only: every front end, every topology, every clamp."""
    need = Requirement(mains=Mains(kind=kind, v_min=100 if kind == "ac1" else 340, v_max=264 if kind == "ac1" else 460),
                       outputs=(Output(voltage=24, current_max=10),))
    for front in front_ends_for(kind).values():
        for topology in TOPOLOGIES.values():
            for clamp in clamps_for(topology).values():
                pins, sheet = Asked(), Sheet()
                front.plan(Work(need, make_grid(need, front), shipped(), sheet,
                                Decisions(decision_specs(topology, front, clamp), pins, sheet)), 280.0, 2.0)
                asked = {id for id in pins.ids if not id.startswith("derating.")}
                assert len(asked) > 3 and not asked & {s.id for s in (*topology.DECISIONS, *clamp.DECISIONS)}, (front.NAME, topology.NAME)


class Watched(dict):
    """Rows of a front end, and which of them somebody looked at."""

    def __init__(self, rows):
        super().__init__(rows)
        self.before, self.read = dict(rows), set()

    def look(self, id):
        if id in self.before and dict.get(self, id) is self.before[id]:
            self.read.add(id)

    def __getitem__(self, id):
        self.look(id)
        return super().__getitem__(id)

    def __contains__(self, id):
        self.look(id)
        return super().__contains__(id)

    def get(self, id, default=None):
        self.look(id)
        return super().get(id, default)


@pytest.mark.parametrize("kind", ["ac1", "ac3"])
def test_a_power_stage_sees_nothing_of_the_front_end_but_its_bus(kind):
    """What is kept of a power stage between designs: built from the bus, its own decisions and one row of the front end; every front end,
    topology and clamp."""
    need = Requirement(mains=Mains(kind=kind, v_min=100 if kind == "ac1" else 340, v_max=264 if kind == "ac1" else 460),
                       outputs=(Output(voltage=24, current_max=10),), hold_up=0.01, hold_up_at=230 if kind == "ac1" else 400)
    for front in front_ends_for(kind).values():
        for topology in TOPOLOGIES.values():
            for clamp in clamps_for(topology).values():
                specs, grid, sheet = decision_specs(topology, front, clamp), make_grid(need, front), Sheet()
                work = Work(need, grid, shipped(), sheet, Decisions(specs, {}, sheet))
                v_bus, _ = front.bus(front.plan(work, 280.0, 2.0), grid, np.full((*grid.shape[:3], 1), 280.0))
                sheet.rows = rows = Watched(sheet.rows)
                pins = Asked()
                work.choose = Decisions(specs, pins, sheet)
                topology.power_drawn(work, topology.build(work, v_bus, clamp), v_bus, 3e-2)
                linked = {id for row in dict.values(rows) if row not in rows.before.values() for x in row.inputs.values()
                          for id, old in rows.before.items() if x is old}
                assert rows.read | linked <= {READ_OF_FRONT_END}, (front.NAME, topology.NAME, rows.read, linked)
                assert len(pins.ids) > 3 and pins.ids <= {s.id for s in (*topology.DECISIONS, *clamp.DECISIONS)}, (front.NAME,
                    topology.NAME)


@pytest.mark.parametrize("edit",
                         [{"clamp.ratio": 1.8}, {"transformer.arrangement": "simple"}, {"bulk.c": 150e-6},
                          {"inlet.thermistor": "ntc-10R-4A"}, {"front_end": "pfc_ccm", "pfc.fs": 80e3}, {"inlet.c_x": 470e-9},
                          {"derating.switch_v": 0.7, "front_end": "pfc_ccm"}])
def test_a_design_after_another_is_the_same_as_one_alone(demo_design, edit):
    forget()
    alone = size(demo_design.requirement, edit)
    size(demo_design.requirement)
    after = size(demo_design.requirement, edit)
    assert alone.rows.keys() == after.rows.keys() and alone.findings == after.findings
    assert all(np.array_equal(np.asarray(row.value), np.asarray(after.rows[id].value)) for id, row in alone.rows.items())
