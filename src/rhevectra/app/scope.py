"""Text of an oscilloscope's record -> time and voltage: separators, comma decimals, headers, units, gaps. And a simulated oscilloscope in
place of a real one."""

import io
import re

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.errors import InputError
from rhevectra.core.circuit.netlist import Element, number
from rhevectra.core.design.design import Design
from rhevectra.core.stages.drain_trace import DrainTrace

ACCEPTED = "rows of time and voltage, separated by comma, semicolon, tab or spaces, under any heading"
MOST = 200_000_000
"""Characters of the largest file that is read."""
_SECONDS = {"s": 1.0, "sec": 1.0, "second": 1.0, "seconds": 1.0, "ms": 1e-3, "us": 1e-6, "µs": 1e-6, "μs": 1e-6, "ns": 1e-9, "ps": 1e-12}
_VOLTS = {"v": 1.0, "volt": 1.0, "volts": 1.0, "mv": 1e-3, "kv": 1e3}
HEADING = 200
"""Lines a heading may have."""
LOST = 0.2
"""Share of rows that may be unreadable."""


class Record(Struct, frozen=True):
    """t [s], v [V]; rows left out; what was taken for granted, in words."""

    t: Array
    v: Array
    skipped: int
    notes: tuple[str, ...]


def parse_record(text: str, name: str) -> Record:
    """Time and voltage of a record. Raises InputError with one sentence."""
    if len(text) > MOST:
        raise InputError(name, "the file is larger than 200 MB", "one record")
    lines = text.lstrip("\ufeff").splitlines()
    separator, comma, first = _layout(lines, name)
    columns = _table(lines[first:], separator, comma)
    good = np.all(np.isfinite(columns), axis=1)
    lost = int(np.count_nonzero(~good))
    if len(columns) - lost < 2 or lost > LOST * len(columns):
        raise InputError(name, f"{lost} of {len(columns)} rows are no pair of numbers", ACCEPTED)
    t, v = columns[good].T
    notes: list[str] = []
    t_scale, v_scale = _units(lines[:first], separator, notes)
    if lost:
        notes.append(f"{lost} rows without numbers left out")
    return Record(t * t_scale, v * v_scale, lost, tuple(notes))


def _numbers(line: str, separator: str | None, comma: bool) -> list[float | None]:
    """The fields of a row as numbers, None where one is none."""
    out: list[float | None] = []
    for word in line.split(separator):
        word = word.strip().strip('"')
        try:
            out.append(float(word.replace(",", ".") if comma else word))
        except ValueError:
            out.append(None)
    return out


def _layout(lines: list[str], name: str) -> tuple[str | None, bool, int]:
    """Separator (None: blanks), whether the decimal sign is a comma, and the first row of numbers: that reading under which most of the
    first rows are at least two numbers."""
    some = lines[: HEADING + 50]
    best: tuple[int, str | None, bool, int] = (0, None, False, 0)
    for separator, comma in ((";", False), ("\t", False), (",", False), (";", True), ("\t", True), (None, False), (None, True)):
        rows = [_numbers(line, separator, comma)[:2] for line in some]
        full = [len(r) == 2 and None not in r for r in rows]
        runs = [k for k in range(len(full)) if all(full[k : k + 5]) and len(full[k : k + 5]) >= min(5, len(full))]
        if runs and sum(full) > best[0] and _tells(some[runs[0]], separator):
            best = (sum(full), separator, comma, runs[0])
    if best[0]:
        return best[1:]
    if any(len(re.findall(r"\d,\d", line)) >= 2 for line in some[-5:]):
        raise InputError(name, "commas stand both between the columns and in the numbers",
                         "semicolon, tab or spaces between columns where the decimal sign is a comma")
    raise InputError(name, "no five rows of two numbers follow each other in its first lines", ACCEPTED)


def _tells(line: str, separator: str | None) -> bool:
    """A comma that separates may not be the decimal sign: two integers and fractions that alternate would give four fields."""
    return not (separator == "," and re.fullmatch(r"\s*-?\d+,\d+,-?\d+,\d+\s*", line))


def _table(lines: list[str], separator: str | None, comma: bool) -> Array:
    """The two first columns; rows that are no numbers give NaN."""
    body = "\n".join(lines)
    if comma:
        body = body.replace(",", ".")
    try:
        return np.loadtxt(io.StringIO(body), delimiter=separator, usecols=(0, 1), ndmin=2, comments=None, quotechar='"')
    except ValueError:
        pass
    out = np.full((len(lines), 2), np.nan)
    kept = 0
    for line in lines:
        if line.strip():
            row = _numbers(line, separator, comma)[:2]
            if len(row) == 2:
                out[kept] = [np.nan if x is None else x for x in row]
            kept += 1
    return out[:kept]


def _units(heading: list[str], separator: str | None, notes: list[str]) -> tuple[float, float]:
    """What one of time and one of voltage is, from words of the heading; seconds and volts where it says nothing."""
    found: list[float | None] = [None, None]
    for line in heading:
        for k, word in enumerate(line.split(separator)[:2]):
            units = [re.sub(r"[^a-zµμ]", "", w) for w in re.split(r"[\s(\[/:]+", word.strip().strip('"').lower())]
            for unit in units:
                if unit in (_SECONDS, _VOLTS)[k]:
                    found[k] = (_SECONDS, _VOLTS)[k][unit]
    if found[0] is None:
        notes.append("time taken as seconds")
    if found[1] is None:
        notes.append("voltage taken as volts")
    return found[0] or 1.0, found[1] or 1.0


PROBE = 10e-12
"""Capacitance [F] of the simulated probe (a usual one at 10:1)."""
POINTS, PERIODS_SHOWN, LEVELS, NOISE = 2500, 1.6, 256, 0.002
"""Of the simulated record: points, periods, levels of its converter and noise as a share of full scale."""


def simulated_record(design: Design, corner: Corner, added: float = 0.0, probe: float = PROBE, seed: int = 1) -> str:
    """What an oscilloscope would write of the drain at a corner: the exact period with probe and an added capacitor [F] across the switch,
    8-bit steps and noise. Raises NoSteadyState."""
    from rhevectra.core.design.exact import exact  # here and below: the desk does not wait for what it brings along

    hung = tuple(Element(name, ("drain", "src"), number(c), "switch") for name, c in (("Cprobe", probe), ("Cadded", added)) if c > 0)
    found = exact(design, corner, lambda circuit: replace(circuit, elements=(*circuit.elements, *hung)))
    t = np.linspace(0.0, PERIODS_SHOWN * found.period, POINTS)
    v = np.interp(t % found.period, found.t, found.voltages["drain"])
    full = 1.25 * float(v.max())
    noisy = v + np.random.default_rng(seed).normal(0.0, NOISE * full, POINTS)
    steps = np.round(noisy / full * LEVELS) * full / LEVELS
    rows = "\n".join(f"{x:.6e},{y:.4f}" for x, y in zip(t, steps, strict=True))
    return f"simulated record,{corner.text()}\ntime [s],drain [V]\n{rows}\n"


def nearest_corner(design: Design, read: DrainTrace) -> Corner | None:
    """The corner in run whose plateau and crest are nearest to those of a record; None where the design has no such drain."""
    rows = design.rows
    if "switch.v_plateau" not in rows or "clamp.v_crest" not in rows:
        return None
    best: tuple[float, Corner] | None = None
    for index in np.ndindex(*design.grid.shape):
        c = design.grid.corner(index)
        if c.case == "run" and c.load > 0 and not c.label:
            plateau, peak = float(rows["switch.v_plateau"].at(index)), float(rows["switch.v_peak"].at(index))
            off = abs(plateau / read.plateau - 1) + abs(peak / read.peak - 1)
            if best is None or off < best[0]:
                best = (off, c)
    return best[1] if best else None


def own_waveform(design: Design, corner: Corner) -> tuple[Array, Array]:
    """The design's exact drain at a corner: time [s] from its turn-off, two periods long, and voltage [V]. Raises NoSteadyState."""
    from rhevectra.core.design.exact import exact

    found = exact(design, corner)
    v = found.voltages["drain"]
    top = int(np.argmax(v))
    turn = float(found.t[:top][v[:top] < 0.1 * v[top]][-1]) if np.any(v[:top] < 0.1 * v[top]) else float(found.t[top])
    return np.concatenate([found.t, found.t + found.period]) - turn, np.concatenate([v, v])
