"""Ripple of an output behind a rectifier or a filter inductor, as rows of a sheet or as bare numbers."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from rhevectra.core.basis import corners
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import ripple
from rhevectra.core.stages.work import Work

Swing = Callable[[Any, Any], Any]
"""Ripple [V] on a capacitor of each of many classes, by resistance [Ω] and capacitance [F]."""


def on_one(work: Work, fed: Mapping[str, Any], of: Callable[[dict[str, Any], Any, Any], Any]) -> Swing:
    """Greatest ripple of all full-load corners on one capacitor of each class. fed: what makes it, by rows; of: the ripple from their
    numbers there, resistance and capacitance."""
    full = corners.FULL.mask(work.grid)
    flat = {k: np.broadcast_to(plain(x), work.grid.shape)[full] for k, x in fed.items()}
    return lambda esr, c: np.max(of(flat, *(np.asarray(x)[..., None] for x in (esr, c))), -1)


def of_rectifier(sheet: Any, id: str, current: dict[str, Any], t_off: Any, fs: Any, slower: Any, esr: Any, c: Any) -> Any:
    """Ripple [V] of a flyback's rectifier, whose current (i_peak, i_out) begins at its crest and falls for t_off [s]; slower: tolerance of
    the rate fs."""
    slope = sheet(f"{id}_fall", ripple.fall, **current, fs=fs, t_off=t_off, slower=slower)
    crest = sheet(f"{id}_crest", ripple.crest_time, **current, slope=slope, esr=esr, c=c, t_off=t_off, slower=slower)
    return sheet(id, ripple.of_fall, **current, slope=slope, t_crest=crest, esr=esr, c=c)


def of_inductor(sheet: Any, id: str, swing: Any, i_out: Any, times: dict[str, Any], slower: Any, esr: Any, c: Any) -> Any:
    """Ripple [V] of a filter inductor's current that swings by `swing` [A] around i_out; times: fs, t_e and t_d of its pulses."""
    high = sheet(f"{id}_above", ripple.above, ripple=swing, i_out=i_out)
    falls = sheet(f"{id}_falls", ripple.falls, t_freewheeling=times["t_d"], fs=times["fs"], t_feeding=times["t_e"])
    turn = {"esr": esr, "c": c, "ripple": swing, "slower": slower}
    low_at = sheet(f"{id}_low", ripple.turning, **turn, t_ramp=times["t_e"],
                   most=sheet(f"{id}_below", ripple.below, ripple=swing, i_above=high))
    high_at = sheet(f"{id}_high", ripple.turning, **turn, t_ramp=falls, most=high)
    return sheet(id, ripple.of_ramps, **turn, i_low=low_at, i_high=high_at, t_feeding=times["t_e"], i_above=high, t_fall=falls)


def of_tank(sheet: Any, id: str, swing: Any, fs: Any, esr: Any, c: Any) -> Any:
    """Ripple [V] of a rectified tank current that swings by `swing` [A], fs times a second [Hz]: an upper bound."""
    return sheet(id, ripple.of_triangle, ripple=swing, esr=esr, fs=fs, c=c)


def behind_filter(sheet: Any, id: str, first: Any, fs: Any, inductance: Any, esr: Any, c: Any) -> Any:
    """What a second inductor [H] and capacitor leave of a ripple [V]."""
    return sheet(id, ripple.filtered, ripple_pp=first, esr=esr, fs=fs, c=c, inductance=inductance)
