"""Break points of the currents of a step-down stage over its period: for harmonics and for the picture."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.topologies.stepdown.variant import Variant

EPS = 1e-10
Pieces = tuple[list[float], list[float]]


def shapes(o: Mapping[str, Any], at: Any, n: float, v: Variant) -> dict[str, tuple[Array, Array]]:
    """Break points [s], [A] of primary, secondary and inductor current at one corner; n = secondary over primary turns.

    Of a core driven both ways the whole period of two pulses, and of its secondary one half of the centre tap.
    """
    made = _active(o, at) if v.active else _phase_shifted(o, at) if v.phase else _both_ways(o, at) if v.both_ways else _single_ended(o, at,
        n, v.reset)
    return {k: (np.array(x), np.array(y)) for k, (x, y) in made.items()}


def _inductor(o: Mapping[str, Any], at: Any) -> Pieces:
    end, low, crest, t_on = 1 / at(o["fs"]), at(o["valley"]), at(o["crest"]), at(o["t_on"])
    empty = min(t_on + at(o["t_d"]), end) if low <= 0 or at(o["discontinuous"]) else end
    return [0.0, max(at(o["t_c"]), EPS), t_on, max(empty, t_on + EPS), max(end, t_on + 2 * EPS)], [low, low, crest, low, low]


def _single_ended(o: Mapping[str, Any], at: Any, n: float, reset_winding: bool) -> dict[str, Pieces]:
    """What the open switches leave flows on in the primary the same way, back to the bus; or in the reset winding, and no longer in the
    primary."""
    end, e = 1 / at(o["fs"]), EPS
    t_c, t_on, t_l, t_e = (at(o[k]) for k in ("t_c", "t_on", "t_l", "t_e"))
    low, crest, mag, peak = at(o["valley"]), at(o["crest"]), at(o["i_mag"]), at(o["i_peak"])
    back = min(t_on + max(t_l, e), end - 3 * e)
    reset = min(max(t_on + t_e, back + e), end - 2 * e)
    left = 0.0 if reset_winding or t_e <= 0 else mag * (1 - (back - t_on) / max(t_e, e))
    primary = ([0.0, max(t_c, e), t_on, t_on + e, back, reset, end], [0.0, n * low, peak, 0.0 if reset_winding else peak, left, 0.0, 0.0])
    return {"primary": primary, "secondary": ([0.0, max(t_c, e), t_on, back, end], [0.0, low, crest, 0.0, 0.0]),
            "inductor": _inductor(o, at)}


def _active(o: Mapping[str, Any], at: Any) -> dict[str, Pieces]:
    """The capacitor takes the leakage's current, then the core's, and turns it round."""
    end, t_c, t_on = 1 / at(o["fs"]), max(at(o["t_c"]), EPS), at(o["t_on"])
    back = min(t_on + max(at(o["t_l"]), EPS), end - 2 * EPS)
    primary = ([0.0, t_c, t_on, back, end], [-at(o["i_back"]), at(o["i_start"]), at(o["i_peak"]), at(o["i_mag"]), -at(o["i_back"])])
    return {"primary": primary, "secondary": ([0.0, t_c, t_on, back, end], [0.0, at(o["valley"]), at(o["crest"]), 0.0, 0.0]),
            "inductor": _inductor(o, at)}


def _both_ways(o: Mapping[str, Any], at: Any) -> dict[str, Pieces]:
    half, low, crest = 1 / at(o["fs"]), at(o["valley"]), at(o["crest"])
    back = min(at(o["t_on"]) + max(at(o["t_l"]), EPS), half - 3 * EPS)
    x = [0.0, max(at(o["t_c"]), EPS), at(o["t_on"]), back, half - EPS]
    y = [0.0, at(o["i_start"]), at(o["i_peak"]), 0.0, 0.0]
    return _twice(x, y, [0.5 * low, low, crest, 0.5 * crest, 0.5 * low], [0.5 * low, 0.0, 0.0, 0.5 * crest, 0.5 * low], half,
                  _inductor(o, at))


def _phase_shifted(o: Mapping[str, Any], at: Any) -> dict[str, Pieces]:
    """From the moment the bus lies across the primary: the current is turned over, feeds, and circulates until the other half."""
    half, low, crest, d = 1 / at(o["fs"]), at(o["valley"]), at(o["crest"]), at(o["held"])
    t_c = max(at(o["t_c"]), EPS)
    t_e, t_f = max(at(o["t_e"]), EPS), max(at(o["t_f"]), EPS)
    scale = (half - 2 * EPS) / max(t_c + t_e + t_f + EPS, half - 2 * EPS)
    x = [0.0, scale * t_c, scale * (t_c + t_e), scale * (t_c + t_e + t_f), half - EPS]
    y = [-at(o["i_left"]), at(o["i_start"]), at(o["i_peak"]), at(o["i_end"]), at(o["i_left"])]
    mine, other = 0.5 * (1 + d) * low, 0.5 * (1 - d) * low
    inductor = ([0.0, x[1], x[2], half], [low, low, crest, low])
    return _twice(x, y, [other, low, crest, mine, mine], [mine, 0.0, 0.0, other, other], half, inductor)


def _twice(x: list[float], y: list[float], own: list[float], other: list[float], half: float, inductor: Pieces) -> dict[str, Pieces]:
    """Both halves of a period: the primary turned round, one half of the tap in its own pulse and in the other's, the inductor alike."""
    both = [*x, *(t + half for t in x), 2 * half]
    return {"primary": (both, [*y, *(-i for i in y), y[0]]), "secondary": (both, [*own, *other, own[0]]),
            "inductor": ([*inductor[0][:-1], *(t + half for t in inductor[0])], [*inductor[1][:-1], *inductor[1]])}
