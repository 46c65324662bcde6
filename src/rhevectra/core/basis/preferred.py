"""Preferred numbers of IEC 60063 and searches among them.

E3 to E24 are the historical two-digit lists; E48 to E192 follow 10^(i/n) rounded to three
digits, with the one published exception 9.20 in E192 (from memory: 10^(185/192) = 9.19).
"""

import bisect
import math
from functools import lru_cache

_E24 = (1.0, 1.1, 1.2, 1.3, 1.5, 1.6, 1.8, 2.0, 2.2, 2.4, 2.7, 3.0, 3.3, 3.6, 3.9, 4.3, 4.7, 5.1, 5.6, 6.2, 6.8, 7.5, 8.2, 9.1)
_E192 = tuple(9.20 if i == 185 else round(10 ** (i / 192), 2) for i in range(192))
SERIES: dict[str, tuple[float, ...]] = {
    "E3": _E24[::8], "E6": _E24[::4], "E12": _E24[::2], "E24": _E24,
    "E48": _E192[::4], "E96": _E192[::2], "E192": _E192,
}
FUSES = (0.5, 0.63, 0.8, 1.0, 1.25, 1.6, 2.0, 2.5, 3.15, 4.0, 5.0, 6.3, 8.0, 10.0, 12.5, 16.0)
"""Rated currents [A] of miniature fuses after IEC 60127 (from memory)."""
LARGE_FUSES = (20.0, 25.0, 32.0, 40.0, 50.0, 63.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 315.0, 400.0, 500.0, 630.0)
"""Rated currents beyond miniature fuses [A] (the R10 series, as IEC 60269 has them, from memory)."""
ALL_FUSES = (*FUSES, *LARGE_FUSES)


def _around(value: float, series: str) -> tuple[float, ...]:
    """All members within a decade each side of value, ascending."""
    return _members(math.floor(math.log10(value)), series)


@lru_cache(maxsize=256)
def _members(decade: int, series: str) -> tuple[float, ...]:
    """Those from a decade below to two above one, free of float dust."""
    return tuple(float(f"{m}e{decade + d}") for d in (-1, 0, 1, 2) for m in SERIES[series])


def at_least(value: float, series: str = "E12") -> float:
    """Smallest member not below value (value > 0)."""
    members = _around(value, series)
    return members[bisect.bisect_left(members, value * (1 - 1e-12))]


def at_most(value: float, series: str = "E12") -> float:
    """Largest member not above value (value > 0)."""
    members = _around(value, series)
    return members[bisect.bisect_right(members, value * (1 + 1e-12)) - 1]


def nearest(value: float, series: str = "E12") -> float:
    """The member nearest by ratio (value > 0)."""
    below, above = at_most(value, series), at_least(value, series)
    return below if value * value < below * above else above


def between(low: float, high: float, series: str = "E12") -> tuple[float, ...]:
    """All members from low to high, less than two decades apart (low > 0)."""
    return tuple(m for m in _around(low, series) if low <= m <= high)


def step(value: float, direction: int, series: str = "E24") -> float:
    """Next member above (+1) or below (-1) value."""
    return at_least(value * (1 + 1e-9), series) if direction > 0 else at_most(value * (1 - 1e-9), series)
