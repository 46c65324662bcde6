"""The netlist of a design at an operating point a person names."""

from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.errors import InputError
from rhevectra.core.circuit.netlist import write
from rhevectra.core.circuit.parts import NoSteadyState
from rhevectra.core.design.design import Design
from rhevectra.core.design.exact import network_of
from rhevectra.core.topologies import TOPOLOGIES


def corner_for(design: Design, line: float | None, load: float, bus: str) -> Corner:
    """The grid corner of a line voltage and load. Raises InputError where the grid has none."""
    grid = design.grid
    v = min(grid.lines) if line is None else line
    if not any(abs(v / x - 1) < 0.005 for x in grid.lines):
        raise InputError("--line", f"{v:g} V is not a corner of this design", ", ".join(f"{x:g}" for x in grid.lines))
    loads = [p.load for p in grid.points if p.case == "run" and not p.label and p.load > 0]
    if not any(abs(load - x) < 1e-6 for x in loads):
        raise InputError("--load", f"{load:g} is not a corner of this design", ", ".join(f"{x:g}" for x in loads))
    return grid.find(v, load, "run", bus if bus in grid.bus else grid.bus[0])


def netlist_text(design: Design, line: float | None, load: float, bus: str) -> str:
    """SPICE text of the power stage at that corner. Raises InputError where the grid has none, or no circuit can do what the design asks
    there."""
    corner = corner_for(design, line, load, bus)
    text = write(TOPOLOGIES[design.topology].circuit(design, corner))
    try:
        network_of(text, corner)
    except NoSteadyState as problem:
        raise InputError("netlist", str(problem)) from None
    return text
