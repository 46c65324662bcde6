"""Choosing core, turns and wire: the whole catalogue tried at once, the smallest core that passes wins.

Every core is tried with several turns counts; for each the windings are laid, the copper and core loss
and the temperature they give are found together, and the constraints are compared. Arrays are
(core, turns candidate); the last axis inside a winding is the wire option.
"""

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, pick
from rhevectra.core.basis.later import Later
from rhevectra.core.formulas import copper, half_turn, magnetics
from rhevectra.core.magnetics import arrangement, leak_estimate, winding, wire
from rhevectra.core.magnetics.arrangement import SHIELD_FOIL
from rhevectra.core.magnetics.board import aux_track, lay_tracks
from rhevectra.core.magnetics.changing_field import Change, change, gap_rates
from rhevectra.core.magnetics.copper_loss import Section
from rhevectra.core.magnetics.need import TransformerNeed as TransformerNeed
from rhevectra.core.magnetics.need import WindingNeed as WindingNeed
from rhevectra.core.magnetics.need import balanced as balanced
from rhevectra.core.magnetics.need import conducting as conducting
from rhevectra.core.magnetics.need import counting as counting
from rhevectra.core.magnetics.need import outputs_of as outputs_of
from rhevectra.core.magnetics.need import primary_side as primary_side
from rhevectra.core.magnetics.need import wound as wound
from rhevectra.core.magnetics.turns_tried import candidate_turns, core_loss
from rhevectra.core.magnetics.winding import Laid
from rhevectra.core.magnetics.windows import Windows

LEAST_WALL = 0.88
"""Most that chambers may leak with the thinnest wall by even fields alone, over what is wanted of them: these say up to an eighth too
little."""
RISE_AIM = 0.90
"""Share of the allowed rise a core may reach in the search, whose currents are still estimates."""
HEAT_TRANSFER = {"natural": 10.0, "forced": 25.0, "conduction": 16.0}


class Trial(Struct, frozen=True):
    """All trials: arrays (core, candidate). turns: one array per winding; constraints: name -> (value, limit, unit, sense)."""

    turns: list[Any]
    laid: list[Laid]
    sections: list[Section]
    gap: Array
    fringing: Array
    leak_loss: Array
    fill: Array
    p_core: Array
    p_copper: list[Array]
    rise: Array
    b_peak: Array
    mean_turn: list[Array]
    constraints: dict[str, tuple[Any, Any, str]]
    excess: Array


def wire_key(name: str) -> str:
    """The key of a winding's wire among the pins; both halves of a centre tap have the same."""
    return f"wire_{'np' if name == 'primary' else name.removesuffix('b')}"


def _lay_all(need: TransformerNeed, win: Windows, turns: list[Array], gap: Array, wires: winding.Sizes, changing: Change,
             rho: float) -> list[Laid]:
    """Wire for every winding, both halves of a tapped one alike: the option of least loss whose height keeps to its share of the window."""
    width = need.between_margins(win.width)[:, None]
    weight = np.array([w.i_rms * w.volts for w in need.windings[1:-1]])
    room = (win.height - arrangement.insulation(need.stack, need.tapes))[:, None]
    shares = [1.0, *(0.46 * weight / max(float(weight.sum()), 1e-12)), 0.10]  # the primary takes what the others leave
    scale = (copper.MU0 * turns[1] / _path(need, win)) ** 2
    middle = win.turn_length(0.5 * win.height)[:, None, None]
    laid: dict[int, Laid] = {}
    halves: list[tuple[int, Laid, Any]] = []
    real = wound(need, turns)
    left = room
    near = gap_rates(need, win, turns, gap, [(k + 0.5) / len(need.stack) * win.height[:, None] for k in range(len(need.stack))])
    for k in (*range(1, len(turns)), 0):
        w = need.windings[k]
        pinned, parts = (need.pins or {}).get(wire_key(w.name)), arrangement.shares(need.stack, k)
        if halves and parts == arrangement.shares(need.stack, k - 1) and np.array_equal(real[k], real[k - 1]):
            trial = halves[-1][1]
        elif need.board is not None:
            trial = lay_tracks(real[k][..., None], width[..., None], parts, need.board, pinned,
                               aux_track(w.i_rms, need.board) if k == len(turns) - 1 else np.inf)
        else:
            of = (winding.options(w.i_rms, wires, w.triple, need.lp is None and not w.triple) if pinned is None
                  else wire.options(pinned, wires, w.triple))
            trial = winding.lay(real[k][..., None], of.diameter, of.overall, of.strands, width[..., None], parts, of.flat, of.foil,
                                need.tapes.thickness, of.sheath)
        felt = changing.felt(k, trial, scale[..., None], np.asarray(near[k])[..., None])
        cost = winding.strand_loss(w.i_rms, real[k][..., None], trial, middle, felt, rho) * winding.unevenness(real[k][..., None], trial,
            width[..., None])
        cost = cost + need.leak_cost * leak_estimate.of_winding(need, k, real, trial, middle, width[..., None])
        too_tall = trial.height > (left if k == 0 else shares[k] * room)[..., None]
        cost = cost + np.where(trial.fits, 0.0, 1e9) + np.where(too_tall, 1e3 * (1 + trial.height / 1e-3), 0.0)
        halves.append((k, trial, cost))
        if k + 1 < len(turns) and need.windings[k + 1].name == f"{w.name}b":
            continue
        best = sum(c for _, _, c in halves).argmin(-1)
        for half, tried, _ in halves:
            laid[half] = tried.pick(best)
            left = left - laid[half].height
        halves.clear()
    return [laid[k] for k in range(len(turns))]


def _path(need: TransformerNeed, win: Windows) -> Array:
    """How far the field of the windings runs through each window [m], one column."""
    return np.asarray(need.between_margins(win.path)[:, None])


def sections_of(need: TransformerNeed, laid: list[Laid], turns: list[Array]) -> tuple[list[Section], Array]:
    """The stack from the post outwards and its total height; turns: as wound."""
    shape = turns[0].shape
    sections, depth = [], np.zeros(shape)
    for b, count in zip(need.stack, arrangement.dealt(need.stack, turns), strict=True):
        if b.shield:
            sections.append(Section(b.winding, 0.0, 1.0, depth + b.below + SHIELD_FOIL / 2, None))
            depth = depth + b.below + SHIELD_FOIL
            continue
        wire = laid[b.winding]
        layers = np.maximum(np.ceil(count / np.maximum(wire.per_layer, 1)), 1)
        high = wire.stacked(layers)
        sections.append(Section(b.winding, b.share, layers, depth + b.below + high / 2, wire))
        depth = depth + b.below + high
    return sections, depth + need.tapes.wall


def _gaps(need: TransformerNeed, win: Windows, turns: list[Array], eff: dict[str, Any]) -> tuple[Array, Array]:
    """Gap [m] and fringing factor of every candidate."""
    if need.lp is None:
        return np.zeros(turns[0].shape), np.ones(turns[0].shape)
    return magnetics.solve_gap(eff["area_post"], turns[0], need.lp, eff["length"], need.material["mu_initial"], eff["area"],
                               win.window[:, None])


def try_all(need: TransformerNeed, win: Windows, wires: winding.Sizes) -> Trial:
    """Every core with every candidate: losses, temperature, fill, gap, leakage and how far each constraint is exceeded."""
    win = need.room(win)
    turns = candidate_turns(need, win)
    eff = {n: getattr(win.effective, n)[:, None] for n in ("area", "length", "volume", "area_min", "area_post")}
    gap, fringe = _gaps(need, win, turns, eff)
    usual = float(copper.resistivity(need.ambient + 0.8 * need.rise_max))
    changing = change(need, usual)
    laid = _lay_all(need, win, turns, gap, wires, changing, usual)
    shape = turns[0].shape
    sections, high = sections_of(need, laid, wound(need, turns))
    width = need.between_margins(win.width)[:, None] * np.ones(shape)
    path = _path(need, win)
    mean_turn = [sum(s.share * (win.base_turn[:, None] + win.climb[:, None] * s.depth) for s in sections if s.winding == k)
                 for k in range(len(turns))]
    resistance = magnetics.thermal_resistance(HEAT_TRANSFER[need.cooling], win.surface)[:, None]
    near = gap_rates(need, win, turns, gap, [s.depth for s in sections])
    scale, real = (copper.MU0 * turns[1] / path) ** 2, wound(need, turns)
    felt = [changing.felt(k, laid[k], scale, near[k]) for k in range(len(turns))]
    rise: Any = np.full(shape, 0.8 * need.rise_max)
    for _ in range(2):
        rho = copper.resistivity(need.ambient + rise)
        p_core = core_loss(need, turns[0], eff, need.ambient + rise)
        p_copper = [winding.strand_loss(w.i_rms, real[k], laid[k], mean_turn[k], felt[k], rho) for k, w in enumerate(need.windings)]
        rise = np.minimum(magnetics.temperature_rise(resistance, p_core, sum(p_copper)), 400.0)
    middle, wide = win.turn_length(0.5 * win.height)[:, None, None], width[..., None]
    leak = np.maximum(leak_estimate.of_stack(need, real, laid, middle, wide), need.leak_least) if need.leak_cost else np.zeros((*shape, 1))
    trial = Trial(list(turns), laid, sections, gap, fringe, need.leak_cost * np.asarray(leak)[..., 0], high / win.height[:, None], p_core,
                  p_copper, rise, need.flux_limit / (turns[0] * np.minimum(eff["area"], eff["area_min"])), mean_turn, {}, np.zeros(shape))
    return _judged(need, win, trial, eff["area_post"])


def _judged(need: TransformerNeed, win: Windows, trial: Trial, post: Array) -> Trial:
    """The trial with its constraints and how far they are exceeded."""
    shape, turns, main = trial.gap.shape, counting(need, trial.turns), need.windings[1].volts
    ratio = np.zeros(shape)
    for k, w in enumerate(need.windings[2:-1], 2):
        ratio = ratio + np.maximum(np.abs(turns[k] * main / (turns[1] * w.volts) - 1) - w.tolerance, 0.0)
    stuck = sum((~x.fits).astype(float) for x in trial.laid)
    thin = np.max([len(arrangement.shares(need.stack, k)) / n for k, n in enumerate(wound(need, turns))], axis=0)
    constraints: dict[str, tuple[Any, Any, str]] = {
        "flux": (trial.b_peak, need.b_max, "T"), "fill": (np.where(stuck > 0, 9.0, trial.fill), 1.0, ""),
        "rise": (trial.rise, RISE_AIM * need.rise_max, "K"),
        "gap": (trial.gap, need.gap_max_share * np.sqrt(post), "m"), "ratio": (ratio, 1e-9, ""), "parts": (thin, 1.0, ""),
        **({} if need.half is None or not need.half.spaced else {"leg": (fuller_leg(need, win, trial), need.b_max, "T")}),
        **({} if need.leak_aim is None
           else {"leak": (beside_leakage(need, win, trial), LEAST_WALL * need.leak_aim, "H"),
                 "no room": (need.leak_aim / beside_leakage(need, win, trial, np.maximum(1 - trial.fill, 0.0) * win.height[:, None]), 1.0,
                             "")}), "no gap": (-trial.gap, 0.0, "m"),
                                                    "height": (win.tall[:, None] * np.ones(shape), need.height_max or np.inf, "m")}
    excess = np.zeros(shape)
    for value, limit, _unit in constraints.values():
        over = np.where(value > limit, np.where(np.asarray(limit) > 1e-6, value / np.maximum(limit, 1e-9), 2.0) - 1, 0.0)
        excess = excess + np.clip(over, 0, 50)
    return replace(trial, constraints=constraints, excess=excess)


def fuller_leg(need: TransformerNeed, win: Windows, trial: Trial) -> Any:
    """Flux [T] of the outer leg that carries more at the current limit, where a spacer lies under all legs and a winding ends half a turn
    early."""
    assert need.half is not None and need.lp is not None
    turns, (area, length) = counting(need, trial.turns), win.legs
    amps = half_turn.current(need.flux_limit / need.lp, turns[0], turns[need.half.winding])
    return half_turn.leg_flux(need.flux_limit / turns[0], 1.0, area[:, None], amps, length[:, None], need.material["mu_initial"],
                              magnetics.shim(trial.gap))


def beside_leakage(need: TransformerNeed, win: Windows, trial: Trial, wider: Any = 0.0) -> Any:
    """Leakage of two chambers seen from the primary [H], in the windows as filled: even fields between the ends and the wall. wider: by how
    much more the wall keeps them apart [m]."""
    outputs = outputs_of(need)
    own = sum(trial.laid[k].height for k in outputs) * (1 / 3 if len(outputs) == 1 else (1 / 3 + arrangement.NEARER) / 2)
    apart = trial.laid[0].height / 3 + (need.wall or 0.0) + wider + own
    return copper.MU0 * np.square(trial.turns[0]) * win.base_turn[:, None] / win.path[:, None] * apart


class Choice(Struct, frozen=True):
    """The chosen core and candidate, and for every smaller core the sentence that refused it. than: what a smaller one that would have
    passed does far more (leaks, burns), if it was passed over for that; of each core, best: its best candidate, more: power [W] it would
    cost."""

    core: int
    candidate: int
    passed: bool
    refused: Callable[[], tuple[str, ...]]
    trial: Trial
    than: str
    best: Array
    more: Array

    def against(self, core: int) -> str:
        """What speaks against a smaller core that would have passed."""
        from rhevectra.core.basis.quantities import show

        if not self.than:
            return ""
        return f"would pass, but {'its leakage ' if self.than == LEAKS else ''}burns {show(float(self.more[core]), 'W', 2)} more"


FITS, LEAKS, BURNS = "fits", "leaks", "burns"
_SAYS = {"flux": "flux {v} at the current limit, limit {l}", "fill": "windings need {v} of the window height", "rise": "{v} rise, aim {l}",
         "gap": "gap {v} is longer than {l}, fringing heats the winding", "no gap": "inductance cannot be reached even without a gap",
         "leg": "flux {v} in the fuller outer leg at the current limit, limit {l}",
         "leak": "its chambers leak {v} at least, {l} are wanted",
         "no room": "wanted of its chambers is {v} times what they leak with the widest wall there is room for",
         "parts": "a winding has fewer turns than the arrangement has parts of it",
         "ratio": "no turns give every output its voltage within tolerance", "height": "{v} tall, limit {l}"}


def binding(trial: Trial, core: int) -> str:
    """The constraint that binds a core at its best candidate, with the number."""
    from rhevectra.core.basis.quantities import show

    best = int(trial.excess[core].argmin())
    worst, text = 0.0, FITS
    for key, (value, limit, unit) in trial.constraints.items():
        v, top = pick(value, (core, best)), pick(limit, (core, best))
        over = (v / top if top > 1e-6 else 2.0) - 1 if v > top else 0.0
        if over > worst:
            shown = (f"{v * 100:.0f} %" if v < 9 else "more than all") if key == "fill" else show(v, unit, 3)
            worst, text = over, _SAYS[key].format(v=shown, l=show(top, unit, 3))
    return text


LARGER, LEANER, LEAK_MUCH = 1.5, 0.75, 0.025
"""A core up to so many times as large is taken where its leakage burns at most such a share, and that of the smaller more than such a share
of what the transformer hands on."""
TWICE_AS_MUCH = 2.5
"""The same up to so many times as large, where the leakage of the smaller burns more than twice that: between small cores the steps are
large."""


SPARING, SPARED = 1.25, 0.01
"""A core up to so many times as large is taken where it burns less by such a share of what the transformer hands on: a step of the
catalogue for a tenth of all losses."""


def _leaner(able: Sequence[int], volume: Array, leak: Array, burnt: Array, handed: float) -> tuple[int, str]:
    """Of the cores that pass, smallest first, the smallest; or one not much larger that leaks or burns far less, and which of both. handed:
    what the transformer hands on [W]."""
    small, much = able[0], LEAK_MUCH * handed
    most = (TWICE_AS_MUCH if leak[small] > 2 * much else LARGER) * volume[small]
    near = [k for k in able if volume[k] <= most and leak[k] <= LEANER * leak[small]]
    if near and leak[small] > much:
        return near[0], LEAKS
    sparing = [k for k in able if volume[k] <= SPARING * volume[small] and burnt[k] <= burnt[small] - SPARED * handed]
    return (sparing[0], BURNS) if sparing else (small, "")


def choose(trial: Trial, win: Windows, pinned: str | None, handed: float = np.inf, usual: float = 1.0) -> Choice:
    """Smallest effective volume that passes everything, or one not much larger that leaks or burns far less, at its candidate of least
    loss; if none passes, the least excess. handed: what the transformer hands on [W] (without end: always the smallest); usual: share at
    which copper counts beside the core."""
    loss = trial.p_core + usual * sum(trial.p_copper) + trial.leak_loss
    passed: Array = np.asarray(trial.excess <= 0)
    best = np.where(passed, loss, 1e6 * (1 + trial.excess)).argmin(-1)
    volume = win.effective.volume
    order = np.argsort(volume, kind="stable")
    able: Array = np.asarray(passed.any(-1))
    at, than = (np.arange(len(volume)), best), ""
    leak, burnt = np.broadcast_to(trial.leak_loss, loss.shape)[at], loss[at]
    if pinned is not None:
        core = win.names.index(pinned)
    elif able.any():
        core, than = _leaner([int(i) for i in order if able[i]], volume, leak, burnt, handed)
    else:
        core = int(trial.excess.min(-1).argmin())
    smaller = [int(i) for i in order if volume[i] < volume[core]]

    def refused() -> tuple[str, ...]:
        told = ((i, binding(trial, i)) for i in reversed(smaller))
        return tuple(f"{win.names[i]}: {f'it {found.against(i)}' if than and why == FITS else why}" for i, why in told)
    by = leak if than == LEAKS else burnt
    found = Choice(core, int(best[core]), bool(able[core]), Later(refused), trial, than, best, by - by[core])
    return found
