"""Which faces of a wound core its core and its winding cool by, and how well heat passes between them."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.magnetics.windows import CLEAR, TAPE, Windows, two_legs

PLASTIC, AIR = 0.25, 0.028
"""Conductivity of bobbins and tapes, and of air at 60 °C [W/mK] (handbooks, from memory)."""
LOOSE = 0.2e-3
"""Air between bobbin and post [m] (typical, from memory)."""
TAPES = 2
"""Tapes between the bobbin's floor and the first layer's copper, wire coating included."""

OPEN = ("E", "EFD", "ETD")
"""Families whose winding stands out of the core on two sides."""


class Faces(Struct, frozen=True):
    """Surfaces of core and winding in the air [m²], height of the part [m], conductance between core and winding [W/K]."""

    core: float
    winding: float
    high: float
    between: float


def faces(row: Mapping[str, Any], win: Windows, core: int) -> Faces:
    """Faces of one core of the catalogue, standing with its post upright; the board below takes nothing."""
    a, b, c, d, e, f = (row[f"{k}_m"] for k in ("a", "b", "c", "d", "e", "f"))
    box = float(win.surface[core])
    if row["family"] in OPEN:
        out = (e - f) / 2 if row["family"] != "ETD" else max((e - c) / 2, 0.0)  # how far the winding stands out of the core
        winding = 2 * (2 * d * e + 4 * d * out)
        bare = 2 * a * c + 2 * (2 * a * b - 2 * d * e) + 4 * b * c
    elif row["family"] == "U":
        bare, winding = two_legs(row)
    else:
        opening = row["g_m"] if row["family"] == "PQ" else row["f2_m"]
        winding = 2 * 2 * d * opening
        bare = max(box - winding, 0.3 * box)
    inner = float(win.base_turn[core]) * float(win.width[core])
    flanges = 2 * float(win.turn_length(win.height[core] / 2)[core]) * float(win.height[core]) * _covered(row, a, c)
    through = float(win.wall[core]) / PLASTIC + LOOSE / AIR + TAPES * TAPE / PLASTIC
    return Faces(bare, winding, 2 * b, (inner + flanges) / through + _outside(row, d, c) / ((CLEAR + LOOSE) / AIR))


def _covered(row: Mapping[str, Any], a: float, c: float) -> float:
    """Share of the bobbin's flanges that lies against the yokes."""
    if row["family"] == "U":
        return 0.3
    return float(np.clip(c / a, 0.0, 1.0)) if row["family"] in OPEN else 0.6


def _outside(row: Mapping[str, Any], d: float, c: float) -> float:
    """Area of the outer legs that faces the outside of the winding [m²]; a winding that fills its window lies close to them."""
    if row["family"] == "U":
        return 2 * d * c
    return 2 * 2 * d * (c if row["family"] in OPEN else 0.5 * row["e_m"])
