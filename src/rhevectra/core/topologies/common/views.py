"""The winding window of a chosen transformer, every turn where the sizing laid it."""

from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas.insulation import strip
from rhevectra.core.formulas.magnetics import MU0
from rhevectra.core.magnetics.layout import Layout, lay_out, names_of, sides_of
from rhevectra.core.magnetics.transformer import wound
from rhevectra.core.magnetics.winding import strands_of


class Shape(Struct, frozen=True):
    """One trace of the switching period."""

    name: str
    unit: str
    t: Array
    y: Array
    period: float
    side: str
    limit: float | None = None


class WindingView(Struct, frozen=True):
    """The window to scale: core, turns, where everything lies, gap [m], legend, notes."""

    core: str
    turns: str
    layout: Layout
    gap: float
    legend: list[tuple[str, str]]
    notes: list[str]


class RippleView(Struct, frozen=True):
    """Curves over ripple ratio: name, value over its least, role; the chosen ratio and the values there as text. beside: the same of what
    has no least, over its value at the choice."""

    ratio: Array
    chosen: float
    curves: list[tuple[str, Array, str]]
    texts: list[str]
    beside: list[tuple[str, Array, str, str]]


RIPPLES = np.linspace(0.05, 2.4, 160)
"""Ripple ratios that are drawn; 2 is the boundary of conduction."""


def ripple_crest(i_out: float, k: Array) -> Array:
    """Crest [A] of a filter inductor's current for a ripple ratio; beyond the boundary (k = 2) a triangle that rests: its charge stays, its
    slope grows with k."""
    return i_out * np.where(k <= 2, 1 + 0.5 * k, np.sqrt(2 * k))


def ripple_rms(i_out: float, k: Array) -> Array:
    """Rms [A] of the same."""
    return i_out * np.where(k <= 2, np.sqrt(1 + np.square(k) / 12), np.sqrt(2 / 3 * np.sqrt(2 * k)))


def ripple_view(chosen: float, values: Any, names: tuple[str, ...]) -> RippleView:
    """The picture's curves from values(ratio) -> three with a least [J, A, A] called names, inductance [H], capacitor rms [A]."""
    found, here = values(RIPPLES), values(np.array([chosen]))
    curves = [(name, y / y.min(), role) for name, y, role in zip(names, found, ("accent", "primary", "secondary"), strict=False)]
    beside = [(name, y / h[0], role, show(float(h[0]), unit))
              for name, y, h, role, unit in zip(("inductance", "capacitor rms"), found[3:], here[3:], ("muted", "accent"), ("H", "A"),
                                                strict=True)]
    return RippleView(RIPPLES, chosen, curves, [show(float(v[0]), u) for v, u in zip(here, ("J", "A", "A"), strict=False)], beside)


class FluxView(Struct, frozen=True):
    """Flux over current: curves (name, current, flux, role, dashed), points (name, current, flux, role), limit [T], ends of the axes."""

    curves: list[tuple[str, Array, Array, str, bool]]
    points: list[tuple[str, float, float, str]]
    b_limit: float
    b_cold: float
    i_end: float


class GainCurve(Struct, frozen=True):
    """Gain over frequency [Hz] at one load: exact, where the tank current lags, and by the first harmonic."""

    name: str
    frequency: Array
    exact: Array
    lagging: Array
    harmonic: Array
    role: str


class GainView(Struct, frozen=True):
    """Curves; those at overload of the slowest and the fastest tank its parts' tolerances allow, where they lag; resonance and border [Hz]
    and the greatest gain there; working points (name, frequency [Hz], gain)."""

    curves: list[GainCurve]
    ends: list[tuple[Array, Array]]
    resonance: float
    border: float
    gain_max: float
    points: list[tuple[str, float, float]]


class FrequencyCurve(Struct, frozen=True):
    """Switching frequency [Hz] over the share of full load, at one bus."""

    name: str
    load: Array
    frequency: Array
    role: str


class FrequencyView(Struct, frozen=True):
    """Curves; the highest frequency allowed and the lowest that is not heard [Hz]; corners of the design (load, frequency [Hz])."""

    curves: list[FrequencyCurve]
    f_max: float
    f_audible: float
    points: list[tuple[float, float]]


KNEE = 8
"""Sharpness of the drawn knee: the field goes as B/(1 − (B/B_sat)^KNEE)."""


def saturation_curve(core: Any, b_sat: float, n: float, area: float, length: float, gap_part: float) -> tuple[Array, Array]:
    """Current [A] and flux density [T] of a core of area [m²] and length [m] with n turns; gap_part: what the gap adds to 1/inductance
    [1/H]."""
    b = b_sat * np.concatenate([np.linspace(0, 0.8, 60), 0.8 + 0.199 * np.linspace(0, 1, 140)[1:]])
    iron = b * length / (MU0 * core["mu_initial"] * n) / (1 - (b / b_sat) ** KNEE)
    return iron + b * area * n * gap_part, b


def _apart(need: Any) -> list[str]:
    """What keeps the sides apart, in words."""
    if need.board is not None:
        return [f"{show(need.board.barrier, 'm')} of laminate at the barrier"]
    if need.wall is not None:
        return [f"two chambers, a wall of {show(need.wall, 'm', 3)} between them"]
    return [f"{need.tapes.barrier} tapes of {need.tapes.thickness * 1e6:.0f} µm at the barrier",
            f"margins {strip(need.margin)}" if need.margin else "no margins: triple-insulated"]


def _used(rows: Any, need: Any) -> str:
    """How much of the room the windings take: of the window's height, or of the layers a board may have."""
    if need.board is not None:
        return (f"{int(rows['board.layers'].value)} layers of {need.board.layers_most} at most, "
                f"{show(float(rows['board.thickness'].value), 'm', 3)} thick")
    return f"height used {float(np.asarray(rows['transformer.fill'].value)) * 100:.0f} %"


def winding_view(design: Any) -> WindingView:
    """Every turn of the chosen transformer where the sizing laid it, with its legend."""
    plan, rows = design.context["plan"], design.rows
    at, need, trial = (plan.choice.core, plan.choice.candidate), plan.need, plan.choice.trial
    core = plan.window.names[at[0]]
    layout = lay_out(plan, design.catalogue["cores"].row(core))
    names, sides = names_of(need), sides_of(need)
    turns = [int(t[at]) for t in wound(need, trial.turns)]
    legend = [(f"{n}: {t} turn{'' if t == 1 else 's'}, {strands_of(w)}" + (", triple-insulated" if need.windings[i].triple else ""),
               sides[i])
              for i, (n, t, w) in enumerate(zip(names, turns, (x.at(at) for x in trial.laid), strict=True))]
    gap = float(np.asarray(rows["transformer.gap"].value)) if "transformer.gap" in rows else 0.0
    of = "" if need.pieces == 1 else f"of all {need.pieces}: "
    notes = [*([f"one of {need.pieces} in series"] if of else []),
             *([f"gap {show(gap, 'm')} in the {layout.legs[0]}", f"or spacer {show(gap / 2, 'm')} under all legs"] if gap
               else ["no gap: ground faces pressed together"]), _used(rows, need),
             f"{of}leakage {show(float(np.max(rows['transformer.leakage'].value)), 'H')}, copper loss "
             f"{show(design.figure('transformer.loss_copper').value, 'W')}", *_apart(need)]
    return WindingView(core, f"{turns[0]} : {' : '.join(str(t) for t in turns[1:])} turns", layout, gap, legend, notes)
