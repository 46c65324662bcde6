"""The supply of a flyback's controller from its auxiliary winding, over line and load.

It follows the regulated output by its turns only where the field between them stands still. While the leakage empties the winding sees
more, the more the outputs carry, and its small current takes the crest of that; where pulses are rare it has to take so much from each that
it sinks.
"""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import MUST_FIX
from rhevectra.core.basis.preferred import at_least, at_most, step
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Refused, plain
from rhevectra.core.formulas import auxiliary, output
from rhevectra.core.formulas.clamp import RING_QUALITY
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import supply
from rhevectra.core.topologies.common.ratings import least_setting
from rhevectra.core.topologies.common.supply import AUX_DROP, DROPOUT, WINDOW
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback import sharing
from rhevectra.core.topologies.flyback.outputs import OPEN

TRIP_ROOM, LEAST_ROOM = 1.05, 1.03
"""Trip of the supply over the greatest it may reach: tolerance of a Zener diode; least supply over the lock-out that the rule leaves
(common practice, no source)."""
DIODE_R = 0.1
"""Resistance of the supply's diode [Ω] (typical, from memory)."""
LONG = 2
"""Steps of the first and the longest piece of a pulse where one output takes all; of the others one each: within them only its drop
changes. In the last one, which hands the current over to the switch, the winding takes nothing."""
THIN = 4
"""Steps of the sharing of several outputs that make one here."""
SWINGS, LEFT = 5, float(np.exp(-np.pi / 2 / RING_QUALITY))
"""Half periods of the ring behind the spike that are looked at, and what is left of it after each."""
SERIES = (2.2, 470.0)
"""Range of the resistor in series with the diode that the rule looks through [Ω]."""
DECISIONS = (
    DecisionSpec("aux.i_idle", "Controller supply current at no load", "feedback", unit="A", low=1e-5, high=0.1),
    replace(supply.DECISIONS[0], schools="none: the controller takes what the winding gives; linear: a transistor and a Zener diode, where "
            "that is too much with load and too little at idle; beside a secondary, away from the primary, the winding hardly sees the "
            "spike and needs neither"),
    DecisionSpec("aux.r_series", "Resistor in series with the supply's diode", "feedback", unit="Ω", low=0, high=1e4,
                 schools="none; 4.7 to 47 Ω take the crest of the leakage's spike, and some of the supply at idle"),
    DecisionSpec("aux.v_trip", "Over-voltage trip of the auxiliary supply", "feedback", unit="V", low=5, high=300,
                 schools="a Zener diode just above what the supply reaches; the controller's own limit"),
)
_LEFT_OUT = "what the winding takes out of the ring behind the spike; supply current where it is neither idle nor full"
FIGURES = (
    FigureSpec("aux.v_low", "Auxiliary supply, least", "V_aux", "feedback", corners.RUN, "min", "aux.v_min", "min", fixed=_LEFT_OUT,
               sentence="at idle a few pulses have to bring all it takes, and the regulated output leaves little of them"),
    FigureSpec("aux.v_high", "Auxiliary supply, greatest", "V_aux,hi", "feedback", corners.PEAKS, limit="aux.v_trip", limit_kind="max",
               fixed=_LEFT_OUT, look_only=True,
               sentence="while the leakage empties, the winding sees more than its turns give; its diode takes the crest"),
    FigureSpec("aux.v_turns", "Auxiliary supply by its turns alone", "V_aux,n", "feedback", corners.FULL),
    FigureSpec("aux.p_regulator", "Power in the supply's regulator", "P_reg", "feedback", corners.PEAKS,
               fixed="supply current where it is neither idle nor full",
               sentence="most of it is the leakage's, which the clamp would burn"),
    FigureSpec("aux.i_peak", "Peak current of the supply's diode", "Î_aux", "feedback", corners.PEAKS, fixed=_LEFT_OUT),
    FigureSpec("aux.i_rms", "Rms current of the supply's diode", "I_aux", "feedback", corners.PEAKS, fixed=_LEFT_OUT),
    supply.V_REVERSE,
)


def _follows(work: Work, s: pd.Stage) -> float:
    """Volts of the supply for a volt of the regulated output."""
    return float(plain(s.ns[-1])) / float(plain(s.ns[0]))


def _trip_for_capacitors(work: Work, plan: Any, s: pd.Stage) -> float:
    """Largest trip of the supply [V], of E24, that catches the regulated output at what its capacitors are chosen for when its feedback is
    open."""
    drop = plan.rectifiers[work.need.main]["row"]["v_forward_v"]
    reached = _follows(work, s) * (OPEN * work.need.outputs[work.need.main].magnitude + drop) - AUX_DROP
    return at_most(max(reached, 1.0), "E24")  # a winding of a turn or less against many gives no supply at all


class Supplied(Struct, frozen=True):
    """The supply at each corner: its voltage [V], peak and rms of its diode [A], and the share of its charge that the winding gets even
    into an empty capacitor, where that is less than 1."""

    voltage: Array
    peak: Array
    rms: Array
    given: Array


class Winding:
    """What the winding sees in a pulse at all corners, and what stands behind it; all from the primary."""

    def __init__(self, plan: Any, s: pd.Stage, o: Mapping[str, Any], shape: tuple[int, ...], outputs: Sequence[Any]) -> None:
        """outputs: what they stand at, where there are several; the regulated one, the first, as the stage knows it."""
        a, apart = sharing.asked(plan, s, o, shape), s.extra["apart"]
        self.ratio = float(plain(s.np)) / float(plain(s.ns[-1]))
        self.charge = sharing.spread(s.i_outputs[-1], shape) / self.ratio / a.fs
        self.fs, self.own = a.fs, s.extra["r_auxiliary"] + DIODE_R
        volts = np.array(
            [a.volts[0], *((sharing.spread(v, shape) + d) * r for v, d, r in zip(outputs[1:], a.forward[1:], a.ratio[1:], strict=True))])
        length, current, rise = _of_several(a, volts) if outputs else _of_one(a)
        alike, parts, leakages = _split(apart)
        if not s.variant.turned:
            length, current = _ringing(s, o, shape, length, current, rise, alike)
        current = current * (1 + self.charge / a.wanted.sum(0))
        self.length, self.total, conducts = length, current.sum(1), _conducting(current[1:])
        part, self.leakage, self.l_apart = np.moveaxis(parts[conducts], -1, 1), leakages[conducts], float(leakages[-1])
        slope, mean = np.diff(current, axis=0) / length[:, None], 0.5 * (current[1:] + current[:-1])
        at_node = volts + a.resistance[:, None] * mean + np.einsum("kj,sjn->skn", a.apart, slope)
        self.open = (part * (at_node - np.einsum("j,sjn->sn", apart[-1, :-1], slope)[:, None])).sum(1)
        self.resistance = (part**2 * a.resistance[:, None]).sum(1)

    def supply(self, series: float | Array = 0.0, some: Any = ..., rounds: int = auxiliary.ROUNDS) -> Supplied:
        """The supply at the corners `some` (indices of the flattened grid; all where none are given), with a resistor [Ω] in series with
        its diode; rounds: see the formula."""
        there = (slice(None), some) if some is not ... else ...
        found = auxiliary.supply(self.open[there], self.total[there], self.length[there], self.leakage[there],
                                 self.resistance[there] + (self.own + series) * self.ratio**2, self.charge[some], rounds)
        return Supplied(np.maximum(found.voltage / self.ratio - AUX_DROP, 0.0), found.peak * self.ratio,
                        np.sqrt(found.square * self.fs[some]) * self.ratio, found.given)


def _of_one(a: sharing.Asked) -> tuple[Array, Array, int]:
    """Lengths and currents of the steps of a pulse where one output takes all of it, and how many of them the leakage empties in."""
    steps = np.array([LONG, *[1] * (len(a.length) - 3), LONG])[:, None]
    length, rise = (np.repeat(x[: len(steps)] / steps, steps[:, 0], 0) for x in (a.length, np.diff(a.current, axis=0)))
    return np.maximum(length, 1e-12), np.concatenate([a.current[:1], a.current[0] + rise.cumsum(0)])[:, None], LONG


def _of_several(a: sharing.Asked, volts: Array) -> tuple[Array, Array, int]:
    """The same where several share it at these voltages; several steps of the sharing make one."""
    length, current = a.followed(volts)
    return length.reshape(-1, THIN, length.shape[1]).sum(1), current[::THIN], a.steps[0] // THIN


def _ringing(s: pd.Stage, o: Mapping[str, Any], shape: tuple[int, ...], length: Array, current: Array, rise: int,
             alike: Array) -> tuple[Array, Array]:
    """Steps of the pulse with the first half periods of the ring of leakage and node between what the leakage and what the core gives
    (after so many steps); alike: how each set of outputs shares it."""
    leakage, node = sharing.spread(s.leakage, shape), sharing.spread(s.c_node, shape)
    quarter = 0.5 * np.pi * np.sqrt(leakage * node)
    swing = np.minimum(np.maximum(sharing.spike(s, o, lambda x: sharing.spread(x, shape)), 0.0) * np.sqrt(node / leakage),
                       current[rise].sum(0))
    turns = np.append((-LEFT) ** np.arange(SWINGS), 0.0)[:, None, None] * swing
    part = np.moveaxis(alike[_conducting(current[rise][None])], -1, 1)
    ring, times = np.maximum(current[rise] + part * turns, 0.0), np.array([1.0, *[2.0] * (SWINGS - 1), 1.0])[:, None] * quarter
    return np.concatenate([length[:rise], times, length[rise:]]), np.concatenate([current[: rise + 1], ring, current[rise + 1 :]])


def _split(apart: Array) -> tuple[Array, Array, Array]:
    """For every set of outputs that conduct (by number, its bits): how they share what all have to take, what each of them loses of what
    the winding takes (sets, outputs), and the leakage behind it [H] (sets,): so that the field changes least."""
    n = len(apart) - 1
    alike, parts, leakage = np.zeros((2**n, n)), np.zeros((2**n, n)), np.zeros(2**n)
    for some in range(1, 2**n):
        on = [k for k in range(n) if some >> k & 1]
        bordered = np.block([[apart[np.ix_(on, on)], np.ones((len(on), 1))], [np.ones((1, len(on))), np.zeros((1, 1))]])
        alike[some, on], parts[some, on] = np.linalg.solve(bordered,
                                                           np.column_stack(
                                                               [np.append(0.0 * apart[on, -1], 1.0), np.append(apart[on, -1], 1.0)]))[:-1].T
        x = np.append(-parts[some], 1.0)
        leakage[some] = x @ apart @ x
    return alike, parts, leakage


def _conducting(current: Array) -> Array:
    """Number of the set of outputs that conduct (steps, N): those with a current (steps, outputs, N), else the one with most of it."""
    found = ((current > 1e-9) << np.arange(current.shape[1])[:, None]).sum(1)
    return np.where(found == 0, 1 << current.argmax(1), found)


class _Tried(Struct, frozen=True):
    """Resistors in series that the rule looks at [Ω], and the greatest and least supply [V] with each."""

    ohms: list[float]
    high: Array
    low: Array

    def smallest(self, least: float, most: Mapping[str, float]) -> tuple[float, str, Refused] | None:
        """The smallest with which the supply stays above its least and below a limit; most: limits [V] by what they are good for, the most
        wanted first. None where there is no such resistor."""
        for name, limit in most.items():
            holds = (self.low >= least) & (limit >= TRIP_ROOM * self.high)
            if holds.any():
                r = self.ohms[int(holds.argmax())]
                return r, f"{'none is needed' if r == 0 else 'smallest of E6'}: the greatest supply stays below {limit:g} V, {name}", ()
        return None

    def largest(self, least: float) -> tuple[float, str, Refused]:
        """The largest that leaves a regulator its least input; none where there is no such resistor."""
        holds = np.flatnonzero(self.low >= least)
        return self.ohms[int(holds[-1])] if len(holds) else 0.0, f"largest of E6 that leaves the regulator {least:.3g} V at idle", ()


def _tried(winding: Winding, high: int, low: int) -> _Tried:
    """Every resistor of the range at the corners (numbers of the flattened grid) where the supply is greatest and least without one."""
    ohms = [0.0, SERIES[0]]
    while ohms[-1] < SERIES[1]:
        ohms.append(step(ohms[-1], 1, "E6"))
    found = winding.supply(np.tile(ohms, 2), np.repeat([high, low], len(ohms)), 2).voltage
    return _Tried(ohms, found[: len(ohms)], found[len(ohms) :])


def _choose(work: Work, plan: Any, s: pd.Stage, winding: Winding, window: tuple[float, float]) -> tuple[bool, Any, Supplied]:
    """Whether there is a regulator, the resistor, and the supply that they leave. window: of the controller [V]."""
    shape = work.grid.shape
    peaks, run = (np.broadcast_to(d.mask(work.grid), shape).ravel() for d in (corners.PEAKS, corners.RUN))
    found = winding.supply(rounds=1)
    tried = _tried(winding, int(np.where(peaks, found.voltage, 0.0).argmax()), int(np.where(run, found.voltage, np.inf).argmin()))
    main = work.need.outputs[work.need.main]
    down = _follows(work, s) * (main.magnitude - main.least)
    least = LEAST_ROOM * window[0] + down
    most = {"where its trip catches an open feedback in time for the output's capacitors": min(_trip_for_capacitors(work, plan, s),
        window[1]), "the controller's limit": window[1]}
    without = tried.smallest(least, most)
    work.choose("aux.regulator", supply.LINEAR if without is None else supply.NONE,
                "no resistor keeps the supply inside the controller's window from idle to the current limit" if without is None
                else "the supply stays inside the controller's window from idle to the current limit")
    linear = supply.regulated(work.sheet.rows)
    resistor = work.choose("aux.r_series",
                           tried.largest(least + LEAST_ROOM * DROPOUT) if linear else without or tried.smallest(0.0, most)
                           or (tried.ohms[-1], "no resistor keeps the greatest supply below the controller's limit", ()))
    return linear, resistor, winding.supply(float(resistor.value))


def record(work: Work, plan: Any, s: pd.Stage, o: Mapping[str, Any], shared: Mapping[str, list[Any]]) -> None:
    """Rows of the supply; shared: of several outputs, what they stand at."""
    sheet, shape = work.sheet, work.grid.shape
    v_min, v_max = WINDOW[plan.switch["integrated"]]
    winding = Winding(plan, s, o, shape, shared.get("voltage", ()))
    linear, resistor, found = _choose(work, plan, s, winding, (v_min, v_max))
    _rows(work, s, o, winding.l_apart, resistor, {k: getattr(found, k).reshape(shape) for k in ("voltage", "peak", "rms", "given")})
    most = float(np.where(corners.PEAKS.mask(work.grid), sheet.rows["aux.v_high"].value, 0.0).max())
    sheet.given("aux.v_min", v_min + DROPOUT * linear, "V", "catalogue",
                "under-voltage lock-out of the controller class" + (", and what a regulator drops" if linear else ""))
    room = f"Zener diode of E24 that the greatest supply, {show(most, 'V')}, stays {(TRIP_ROOM - 1) * 100:.0f} % below"
    wanted = at_least(max(TRIP_ROOM * most, v_min), "E24")
    work.choose("aux.v_trip", wanted if linear else min(wanted, v_max),
                f"{room}, before the regulator" if linear
                else f"{room}; the controller itself trips at {v_max:g} V (typical of the class, from memory)")
    if linear:
        sheet("aux.p_regulator", output.dropped, v_in=sheet.rows["aux.v_high"], v_out=v_min + DROPOUT, i=s.i_outputs[-1])


def _rows(work: Work, s: pd.Stage, o: Mapping[str, Any], l_apart: float, resistor: Any, found: Mapping[str, Array]) -> None:
    sheet = work.sheet
    by_turns = {"turns_aux": s.ns[-1], "turns_secondary": s.ns[0]}
    turned = sheet("aux.v_turns", output.auxiliary_voltage, **by_turns, v_out=s.v_out, v_drop=o["drop"], v_forward=AUX_DROP)
    text = ("solved: what the winding sees in a pulse, its diode taking the crest of it through the leakage to the outputs that conduct, "
            "until the charge is what the controller takes")
    apart = sheet.given("aux.l_apart", l_apart, "H", "solved",
                        "leakage between this winding and the outputs, seen from the primary, as the stack is laid")
    inputs = {"v_turns": turned, "i_supply": s.i_outputs[-1], "l_apart": apart, "leakage": s.leakage, "i_top": o["i_top"],
              "series": resistor}
    high = sheet.solved("aux.v_high", found["voltage"], "V", text, **inputs)
    sheet("aux.v_low", output.auxiliary_at_least, v_aux=high, **by_turns, v_out=s.v_out, v_least=least_setting(work))
    sheet.solved("aux.i_peak", found["peak"], "A", text, **inputs)
    sheet.solved("aux.i_rms", found["rms"], "A", text, **inputs)
    sheet("aux.v_reverse", output.auxiliary_reverse, v_aux=high, v_bus=s.v_bus, turns_aux=s.ns[-1], turns_primary=s.np)
    starved = np.where(np.broadcast_to(corners.RUN.mask(work.grid), found["given"].shape), found["given"], 1.0)
    if starved.min() < 1:
        work.find(MUST_FIX, "feedback", f"at light load the auxiliary winding gets {starved.min() * 100:.0f} % of the controller's "
                  "current, even with its capacitor empty: the outputs take the rest of the few pulses there are", "aux.v_low",
                  "light_load")


def record_loss(work: Work, s: pd.Stage, o: Mapping[str, Any]) -> None:
    """What the controller takes from the core: charge at the reflected voltage, less what the copper burns of it."""
    sheet = work.sheet
    winding = sheet("aux.v_winding", output.auxiliary_voltage, turns_aux=s.ns[-1], turns_secondary=s.ns[0], v_out=s.v_out, v_drop=o["drop"],
                    v_forward=0.0)
    sheet("loss.controller", output.behind_winding, v=winding, i=s.i_outputs[-1], copper=sheet.rows[f"loss.copper{len(s.i_outputs)}"])
