"""A wire as people write it: `0.6`, `19x0.14` (twisted), `4x0.4 flat` (side by side), `2xAWG26`, `foil 0.2` (as wide as the window leaves),
`board 4`, `board 1x3` (turns a layer of a board, layers to a turn); diameters and thickness in mm."""

import re

import numpy as np

from rhevectra.core.basis.errors import InputError
from rhevectra.core.magnetics.winding import SHEATH, TWISTED_TRIPLE, Options, Sizes

EXAMPLE = "4x0.4 flat"
ACCEPTED = ("diameter in mm or as AWG, with the count before it: 0.6, 19x0.14 (twisted), 4x0.4 flat (side by side), 2xAWG26; or a foil by "
            "its thickness: foil 0.2; on a board turns a layer, and layers to a turn: board 4, board 1x3")
USUAL = ("0.14", "0.2", "0.25", "0.315", "0.4", "0.5", "0.6", "0.71", "2x0.5 flat", "3x0.4 flat", "5x0.2 flat", "10x0.1", "19x0.14",
         "40x0.1", "foil 0.1", "foil 0.3")
"""Wires offered in lists; any other may be written."""
LEAST, MOST, STRANDS_MOST = 0.04, 3.0, 400
TURNS_MOST = 20
"""Turns in a layer of a board, and layers to a turn, at most."""
FOIL_LEAST, FOIL_MOST = 0.02, 1.0
"""Thickness of foil that can be wound [mm]."""
_FOIL = re.compile(r"foil\s*(\d+(?:\.\d+)?)(?:\s*mm)?$")
_TRACKS = re.compile(r"board\s*(\d{1,2})(?:\s*[x×*]\s*(\d{1,2}))?$")
_WIRE = re.compile(r"(?:(\d+)\s*[x×*]\s*)?(?:(\d+(?:\.\d+)?)(?:\s*mm)?|awg\s*(\d+))(\s+flat)?$")


def gauge(number: int) -> float:
    """Diameter [m] of a wire gauge. Source: formula of ASTM B258, 0.127 mm·92^((36 − n)/39)."""
    return float(0.127e-3 * 92 ** ((36 - number) / 39))


def thickness(text: str) -> float | None:
    """Thickness of a foil [m]; None of a wire. Raises InputError where it cannot be wound."""
    match = _FOIL.match(str(text).strip().lower())
    if match is None:
        return None
    if not FOIL_LEAST <= float(match[1]) <= FOIL_MOST:
        raise InputError("wire", f"{text!r} cannot be wound", f"foil of {FOIL_LEAST:g} to {FOIL_MOST:g} mm")
    return float(match[1]) * 1e-3


def tracks(text: str) -> tuple[int, int] | None:
    """Turns side by side in a layer of a board, and layers that make a turn together; None of a wire. Raises InputError."""
    match = _TRACKS.match(str(text).strip().lower())
    if match is None:
        return None
    found = int(match[1]), int(match[2] or 1)
    if not (1 <= found[0] <= TURNS_MOST and 1 <= found[1] <= TURNS_MOST):
        raise InputError("wire", f"{text!r} cannot be drawn", f"1 to {TURNS_MOST} turns a layer, 1 to {TURNS_MOST} layers to a turn")
    return found


def write_tracks(per_layer: int, parallel: int) -> str:
    """The usual spelling of tracks."""
    return f"board {per_layer}" + (f"x{parallel}" if parallel > 1 else "")


def parts(text: str) -> tuple[int, float, bool]:
    """Strands, their diameter [m] and whether they lie side by side. Raises InputError with what is accepted."""
    match = _WIRE.match(str(text).strip().lower())
    if match is None:
        raise InputError("wire", f"{text!r} is no wire", ACCEPTED)
    strands = int(match[1] or 1)
    diameter = gauge(int(match[3])) if match[3] else float(match[2]) * 1e-3
    if not 1 <= strands <= STRANDS_MOST or not LEAST <= diameter * 1e3 <= MOST:
        raise InputError("wire", f"{text!r} cannot be wound", f"1 to {STRANDS_MOST} strands of {LEAST:g} to {MOST:g} mm")
    return strands, diameter, bool(match[4]) and strands > 1


def write(strands: int, diameter: float, flat: bool) -> str:
    """The usual spelling."""
    return (f"{strands:d}x" if strands > 1 else "") + f"{diameter * 1e3:.4g}" + (" flat" if flat and strands > 1 else "")


def read(text: str) -> str:
    """The text in its usual spelling. Raises InputError."""
    drawn, foil = tracks(text), thickness(text)
    if drawn is not None:
        return write_tracks(*drawn)
    return write_foil(foil) if foil is not None else write(*parts(text))


def write_foil(thick: float) -> str:
    """The usual spelling of a foil of a thickness [m]."""
    return f"foil {thick * 1e3:.4g}"


def options(text: str, sizes: Sizes, triple: bool) -> Options:
    """The one option of a wire that was chosen, as `winding.options` gives them; its insulation is that of the nearest sizes. triple: each
    of few wires is insulated by itself, more are a litz with that insulation over all."""
    foil = thickness(text)
    if foil is not None:
        return Options(np.array([foil]), np.array([foil]), np.array([1.0]), np.array([False]), np.array([True]), np.zeros(1))
    strands, diameter, flat = parts(text)
    sheath = triple and not flat and strands > TWISTED_TRIPLE
    bare, overall = sizes["triple"] if triple and not sheath else (np.concatenate([sizes[kind][k] for kind in ("enamel", "litz")])
        for k in (0, 1))
    order = np.argsort(bare)
    wall = np.interp(diameter, bare[order], (overall - bare)[order])
    return Options(np.array([diameter]), np.array([diameter + wall]), np.array([float(strands)]), np.array([flat]), np.array([False]),
                   np.array([SHEATH if sheath else 0.0]))
