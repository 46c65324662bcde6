"""Effective parameters of core sets from their dimensions, by the method of IEC 60205.

The magnetic path is cut into legs, yokes and the corners that join them; the core constants are
C1 = Σ l/A and C2 = Σ l/A², and le = C1²/C2, Ae = C1/C2, Ve = C1³/C2². The section areas of the PQ
outer leg and of the RM outer leg are the standard's closed forms, stated from memory and checked
in the tests against handbook values; round-post yokes use the logarithmic mean of their width.

Dimension columns (one half set, m): a width (RM: side of the square), b height of a half, c depth
(RM: diagonal), d window height of a half, e outer window width or diameter, f centre post width or
diameter, f2 centre post thickness (flat post), RM or P slot width or EP opening, g gap between PQ outer legs
or from the middle of an EP post to the open front, hole. P: a and c are its diameter. U: e between its two legs, f
width of a leg; its windings stand on one of them, which is its post, and the bare leg is both outer legs in one.
"""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array

_CORNER = np.pi / 8


class Effective(Struct, frozen=True):
    """Effective area [m²], length [m], volume [m³], smallest section [m²] and centre post area [m²]."""

    area: Array
    length: Array
    volume: Array
    area_min: Array
    area_post: Array


def _sections(row: Mapping[str, Any]) -> tuple[float, float, float, float, float, float]:
    """Areas of one half circuit: outer leg, yoke, half centre post; and thicknesses: leg, yoke, half post [m², m]."""
    a, b, c, d, e, f, f2, g = (row[f"{k}_m"] for k in ("a", "b", "c", "d", "e", "f", "f2", "g"))
    yoke = b - d
    hole = np.pi / 4 * row["hole_m"] ** 2
    family = row["family"]
    if family in ("E", "EFD"):
        post = f * (f2 if family == "EFD" else c)
        return c * (a - e) / 2, c * yoke, post / 2, (a - e) / 2, yoke, f / 2
    if family == "U":
        return c * f / 2, c * yoke / 2, c * f / 2, f, yoke, f
    post = np.pi / 4 * f**2 - hole
    if family == "ETD":
        chord = np.sqrt(max(e**2 - c**2, 0.0))
        segment = (e**2 / 4) * np.arcsin(min(c / e, 1.0)) + c * chord / 4  # window area within the depth, one side
        leg = c * a / 2 - segment
        return leg, c * yoke, post / 2, (a - e) / 2, yoke, f / 2
    if family == "PQ":
        beta = np.arccos(g / e)
        chord = e * np.sin(beta)
        leg = (c * (a - g) - beta * e**2 / 2 + g * chord / 2) / 2
        width = _log_mean(np.pi * f, 2 * chord) / 2
        return leg, width * yoke, post / 2, leg / chord, yoke, f / 4
    if family == "P":
        leg = (np.pi / 4 * (a**2 - e**2) - f2 * (a - e)) / 2  # two slots of width f2 across the ring
        return leg, _log_mean(np.pi * f, np.pi * e) / 2 * yoke, post / 2, (a - e) / 2, yoke, f / 4
    if family == "EP":
        around = np.pi * e / 2 + 2 * g  # a half circle behind the post and two sides to the open front
        leg = (a * c - np.pi * e**2 / 8 - e * g) / 2
        return leg, _log_mean(np.pi * f, around) / 2 * yoke, post / 2, 2 * leg / around, yoke, f / 4
    beta = np.pi / 2 - np.arcsin(f2 / e)  # RM
    p = np.sqrt(2) * a - c
    leg = (a**2 * (1 + np.tan(beta - np.pi / 4)) / 2 - beta * e**2 / 2 - p**2 / 2) / 2
    width = _log_mean(np.pi * f, 2 * beta * e) / 2
    return leg, width * yoke, post / 2, leg / (beta * e), yoke, f / 4


def across(row: Mapping[str, Any]) -> float:
    """Window across the post [m], from it to the outer leg."""
    return float(row["e_m"]) if row["family"] == "U" else float(row["e_m"] - row["f_m"]) / 2


def leg_area(row: Mapping[str, Any]) -> float:
    """Area of one outer leg [m²]."""
    return _sections(row)[0]


def _log_mean(x: float, y: float) -> float:
    return x if abs(x - y) < 1e-12 else (y - x) / float(np.log(y / x))


def effective(rows: Any) -> Effective:
    """Effective parameters of each core row (arrays of one length)."""
    result = []
    for row in rows:
        leg, yoke, post, t_leg, t_yoke, t_post = _sections(row)
        lengths = np.array(
            [2 * row["d_m"], 2 * across(row), 2 * row["d_m"], 2 * _CORNER * (t_leg + t_yoke), 2 * _CORNER * (t_post + t_yoke)])
        areas = np.array([leg, yoke, post, (leg + yoke) / 2, (yoke + post) / 2])
        c1, c2 = (lengths / areas).sum(), (lengths / areas**2).sum()
        result.append((2 * c1 / c2, c1**2 / c2, 2 * c1**3 / c2**2, 2 * areas[:3].min(), 2 * post))
    return Effective(*np.array(result).T)
