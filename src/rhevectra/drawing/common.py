"""What every picture shares: its margins, its caption, and where a held design stands beside the present one."""

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design

LEFT, RIGHT = 14.0, 4.0
"""Room [mm] beside a frame for its tick labels."""


def shown_at(corner: Corner) -> str:
    """The caption that tells at which corner a picture is drawn."""
    return f"shown at {corner.text()}"


def same_corner(held: Design, corner: Corner) -> Corner:
    """The corner of another design that stands for this one: nearest line voltage, same case and load where it has them."""
    try:
        return held.grid.find(corner.v_line, corner.load, corner.case, corner.bus, corner.f_line)
    except StopIteration:
        return held.grid.find(corner.v_line)
