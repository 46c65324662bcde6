"""The winding window of a chosen transformer, every turn where the sizing laid it."""

from dataclasses import dataclass
from typing import Any

import numpy as np

from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.quantities import show
from rhevectra.core.formulas.magnetics import MU0
from rhevectra.core.magnetics.arrangement import SHIELD_FOIL, word
from rhevectra.core.magnetics.transformer import primary_side, section_turns, wound
from rhevectra.core.magnetics.windows import SAFETY_TAPES, TAPE


@dataclass(frozen=True)
class Shape:
    """One trace of the switching period."""

    name: str
    unit: str
    t: Array
    y: Array
    period: float
    side: str
    limit: float | None = None


@dataclass(frozen=True)
class Wire:
    """One turn (bundle) in the window: centre and radius [m], side."""

    x: float
    y: float
    radius: float
    side: str


Box = tuple[float, float, float, float]


@dataclass(frozen=True)
class Band:
    """One block of the window: from, to [m]; word of its winding, turns in it, and a sentence."""

    begin: float
    end: float
    word: str
    turns: int
    tip: str


@dataclass(frozen=True)
class WindingView:
    """The window to scale: sizes [m], bobbin, tapes, margins as boxes (x, y, width, height), turns, legend, notes; bands: where each block begins and ends [m], in the order they are wound, with its word, turns and what there is to say of it."""

    core: str
    turns: str
    radial: float
    along: float
    gap: float
    bobbin: list[Box]
    tapes: list[Box]
    margins: list[Box]
    wires: list[Wire]
    foils: list[Box]
    legend: list[tuple[str, str]]
    notes: list[str]
    bands: list[Band]


@dataclass(frozen=True)
class RippleView:
    """Curves over ripple ratio: name, value over its least, role; the chosen ratio and the values there as text. beside: the same of what has no least, over its value at the choice."""

    ratio: Array
    chosen: float
    curves: list[tuple[str, Array, str]]
    texts: list[str]
    beside: list[tuple[str, Array, str, str]]


RIPPLES = np.linspace(0.05, 2.4, 160)
"""Ripple ratios that are drawn; 2 is the boundary of conduction."""


def ripple_crest(i_out: float, k: Array) -> Array:
    """Crest [A] of a filter inductor's current for a ripple ratio; beyond the boundary (k = 2) a triangle that rests: its charge stays, its slope grows with k."""
    return i_out * np.where(k <= 2, 1 + 0.5 * k, np.sqrt(2 * k))


def ripple_rms(i_out: float, k: Array) -> Array:
    """Rms [A] of the same."""
    return i_out * np.where(k <= 2, np.sqrt(1 + np.square(k) / 12), np.sqrt(2 / 3 * np.sqrt(2 * k)))


def ripple_view(chosen: float, values: Any, names: tuple[str, ...]) -> RippleView:
    """The picture's curves from values(ratio) -> three with a least [J, A, A] called names, inductance [H], capacitor rms [A]."""
    found, here = values(RIPPLES), values(np.array([chosen]))
    curves = [(name, y / y.min(), role) for name, y, role in zip(names, found, ("accent", "primary", "secondary"), strict=False)]
    beside = [(name, y / h[0], role, show(float(h[0]), unit)) for name, y, h, role, unit in zip(("inductance", "capacitor rms"), found[3:], here[3:], ("muted", "accent"), ("H", "A"), strict=True)]
    return RippleView(RIPPLES, chosen, curves, [show(float(v[0]), u) for v, u in zip(here, ("J", "A", "A"), strict=False)], beside)


@dataclass(frozen=True)
class FluxView:
    """Flux over current: curves (name, current, flux, role, dashed), points (name, current, flux, role), limit [T], ends of the axes."""

    curves: list[tuple[str, Array, Array, str, bool]]
    points: list[tuple[str, float, float, str]]
    b_limit: float
    b_cold: float
    i_end: float


@dataclass(frozen=True)
class GainCurve:
    """Gain over frequency [Hz] at one load: exact, where the tank current lags, and by the first harmonic."""

    name: str
    frequency: Array
    exact: Array
    lagging: Array
    harmonic: Array
    role: str


@dataclass(frozen=True)
class GainView:
    """Curves; resonance and border [Hz] and the greatest gain there; working points (name, frequency [Hz], gain)."""

    curves: list[GainCurve]
    resonance: float
    border: float
    gain_max: float
    points: list[tuple[str, float, float]]


@dataclass(frozen=True)
class FrequencyCurve:
    """Switching frequency [Hz] over the share of full load, at one bus."""

    name: str
    load: Array
    frequency: Array
    role: str


@dataclass(frozen=True)
class FrequencyView:
    """Curves; the highest frequency allowed and the lowest that is not heard [Hz]; corners of the design (load, frequency [Hz])."""

    curves: list[FrequencyCurve]
    f_max: float
    f_audible: float
    points: list[tuple[float, float]]


KNEE = 8
"""Sharpness of the drawn knee: the field goes as B/(1 − (B/B_sat)^KNEE)."""


def saturation_curve(core: Any, b_sat: float, n: float, area: float, length: float, gap_part: float) -> tuple[Array, Array]:
    """Current [A] and flux density [T] of a core of area [m²] and length [m] with n turns; gap_part: what the gap adds to 1/inductance [1/H]."""
    b = b_sat * np.concatenate([np.linspace(0, 0.8, 60), 0.8 + 0.199 * np.linspace(0, 1, 140)[1:]])
    iron = b * length / (MU0 * core["mu_initial"] * n) / (1 - (b / b_sat) ** KNEE)
    return iron + b * area * n * gap_part, b


def winding_view(design: Any) -> WindingView:
    """Every turn of the chosen transformer where the sizing laid it."""
    plan = design.context["plan"]
    core, candidate = plan.choice.core, plan.choice.candidate
    win, trial, need = plan.window, plan.choice.trial, plan.need
    row = design.catalogue["cores"].row(win.names[core])
    radial, along = (row["e_m"] - row["f_m"]) / 2, 2 * row["d_m"]
    wall, flange = row["bobbin_wall_m"], row["bobbin_flange_m"]
    bobbin = [(0.0, 0.0, radial, flange), (0.0, along - flange, radial, flange), (0.0, 0.0, wall, along)]
    x, width = wall, float(win.width[core])
    tapes: list[Box] = []
    margins: list[Box] = []
    wires: list[Wire] = []
    names = ["primary" if need.halves == 1 else "both halves of the primary", *("reset" if w.name == "nr" else f"secondary {w.name[2:]}" for w in need.windings[1:-1]), "auxiliary"]
    inside = primary_side(need)
    foils: list[Box] = []
    laid = [x_.at((core, candidate)) for x_ in trial.laid]
    turns = [int(t[core, candidate]) for t in wound(need, trial.turns)]
    bands: list[Band] = []
    for block, count in zip(need.stack, section_turns(trial.sections, turns), strict=True):
        k = block.winding
        if block.below:
            tapes.append((x, flange, block.below, width))
            x += block.below
        begun = x
        if block.shield:
            foils.append((x, flange + need.margin, SHIELD_FOIL, width - 2 * need.margin))
            x += SHIELD_FOIL
        else:
            side = "aux" if k == len(laid) - 1 else "primary" if inside[k] else "secondary"
            x = _layers(wires, margins, x, count, laid[k], side, flange, width, need.margin)
        bands.append(Band(begun, x, "e" if block.shield else word(need.windings[k].name), count, _tip(block, names, turns, count, laid)))
    tapes.append((x, flange, SAFETY_TAPES * TAPE, width))
    legend = [(f"{n}: {t} turns, {int(w.strands)} × {w.diameter * 1e3:.3g} mm" + (" triple-insulated" if need.windings[i].triple else ""), "aux" if i == len(names) - 1 else "primary" if inside[i] else "secondary")
              for i, (n, t, w) in enumerate(zip(names, turns, laid, strict=True))]
    gap = float(np.asarray(design.rows["transformer.gap"].value)) if "transformer.gap" in design.rows else 0.0
    notes = [*([f"gap {show(gap, 'm')} in the centre post", f"or spacer {show(gap / 2, 'm')} under all legs"] if gap else ["no gap: ground faces pressed together"]), f"height used {float(np.asarray(design.rows['transformer.fill'].value)) * 100:.0f} %",
             f"leakage {show(float(np.max(design.rows['transformer.leakage'].value)), 'H')}, copper loss {show(design.figure('transformer.loss_copper').value, 'W')}", f"{SAFETY_TAPES} tapes at the barrier",
             f"margins {need.margin * 1e3:.1f} mm" if need.margin else "no margins: triple-insulated"]
    return WindingView(win.names[core], f"{turns[0]} : {' : '.join(str(t) for t in turns[1:])} turns", radial, along, gap, bobbin, tapes, margins, wires, foils, legend, notes, bands)


def _tip(block: Any, names: list[str], turns: list[int], count: int, laid: Any) -> str:
    """What there is to say of one block: turns, layers, and whether its last layer is full."""
    if block.shield:
        return f"shield: one open turn of {SHIELD_FOIL * 1e6:.0f} µm copper foil, tied to the start of the primary"
    per_layer = max(int(laid[block.winding].per_layer), 1)
    layers, last = -(-count // per_layer), count - (-(-count // per_layer) - 1) * per_layer
    full = "" if last == per_layer else f"; the last layer holds {last}: spread it over the width" if layers > 1 else f"; {last} turns lie in one layer: spread them over the width"
    return f"{names[block.winding]}: {count} of {turns[block.winding]} turns, {layers} layer{'s' if layers > 1 else ''} of at most {per_layer}{full}"


def _layers(wires: list[Wire], margins: list[Box], x: float, count: int, laid: Any, side: str, flange: float, width: float, margin: float) -> float:
    """Lay whole layers from the top; returns the radial position after them."""
    per_layer = max(int(laid.per_layer), 1)
    while count > 0:
        here = min(count, per_layer)
        for i in range(here):
            wires.append(Wire(x + laid.bundle / 2, flange + margin + (i + 0.75) * laid.bundle, laid.bundle / 2, side))
        if margin:
            margins += [(x, flange, laid.bundle, margin), (x, flange + width - margin, laid.bundle, margin)]
        count -= here
        x += laid.bundle * 1.05 + (TAPE if count > 0 else 0.0)
    return x
