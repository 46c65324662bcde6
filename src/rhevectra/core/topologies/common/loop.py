"""Compensation: the optocoupler's resistor, an integrator at the shunt reference and a pole at the controller's pin, and what crossover and
margins they give at the worst corner, new and old."""

from bisect import bisect_left
from functools import partial
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import NOTE
from rhevectra.core.basis.preferred import at_least, at_most, between, nearest
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.sheet import Refused, Row, plain
from rhevectra.core.formulas import loop
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies.common import idle, slope
from rhevectra.core.topologies.common.outputs import OF_COUPLER, OF_RATE, step_begins
from rhevectra.core.topologies.common.signal import CHARGE, MOVES, NEW, OLD, Signal

OF_RIGHT = 1 / 4
"""Highest crossover aimed at over a zero on the right side (common practice)."""
ZERO_BELOW = 4.0
"""How far below the lowest crossover the integrator ends (common practice)."""
BESIDE = 1.03
"""What the integrator adds to the gain at the aim."""
PIN_LEAST = 100e-12
"""Least capacitor at the pin [F]: a layout's own (from memory)."""
COUNT, DOWN, FINE, TIMES = 46, 2e4, 400, 80
"""Frequencies at which a loop is worked out for its figures, how far below the aim they begin, and frequencies and instants of its answer
to a step."""
STEADY, QUIET = 45.0, 6.0
"""Phase margin [°] and gain margin [dB] asked for by rule, at the worst corner (common practice)."""
OFFERS = [m for d in range(-11, -4) for m in between(10.0**d, 9.9 * 10.0**d, "E6")]
"""Capacitors that are tried [F]."""
ROOM = 1.1
"""What the rule leaves of both, over what is asked for."""
STEP, STEPS, FASTER = 0.7, 6, 1.25
"""Steps down to an aim with which they hold; how much faster the slowest corner has to be for a resistor to be worth its place."""
SMOOTHS = (MOVES, "bulk.c", "pfc.c_bus", "pfc.c_half", "feedback.f_aim")
"""Decisions that leave less of the line's ripple, the first that a design has."""
PULSES = {"ac1": 2, "ac3": 6}
"""Ripples of the bus in a period of the line."""
DIRECT, FIXED = "output", "fixed"
"""What feeds the coupler's diode: the output itself, or a voltage that does not move with it."""
DECISIONS = (
    DecisionSpec("feedback.feed", "Feed of the optocoupler", "feedback", "choice", options=(DIRECT, FIXED),
                 schools="output: it answers at once, beside the integrator; fixed: from a Zener diode or another rail only what the "
                 "reference drives acts: an integrator alone, slowly and safely below the resonance of a filter or tank, or one with a "
                 "resistor"),
    DecisionSpec("feedback.f_aim", "Crossover aimed at, at most", "feedback", unit="Hz", low=10, high=1e5,
                 schools="a tenth of the pulse rate and a quarter of a zero on the right side; a twentieth for little work at the bench; "
                 "no higher than half the coupler's own pole"),
    DecisionSpec("feedback.margin_wanted", "Phase margin wanted", "feedback", unit="°", low=10, high=90,
                 schools="45° at the worst corner; 60° where a step may hardly ring"),
    slope.DECISION,
    DecisionSpec("feedback.ctr_spread", "Greatest over least transfer ratio of the class", "feedback", low=1.0, high=6.0,
                 schools="2 for a class of 80 to 160 %; a selected rank has less"),
    DecisionSpec("feedback.f_coupler", "Coupler's own pole at this pin", "feedback", unit="Hz", low=500, high=1e6,
                 schools="10 kHz into some kilohms (typical, from memory); 50 kHz and more into a virtual ground"),
    DecisionSpec("feedback.r_pull", "Resistance of the controller's pin", "feedback", unit="Ω", low=100, high=1e6,
                 schools="what its data sheet names: some kilohms to an internal supply"),
    DecisionSpec("feedback.c_zero", "Capacitor of the integrator", "feedback", unit="F", low=1e-11, high=1e-4, step="E6"),
    DecisionSpec("feedback.r_zero", "Resistor in series with the integrator", "feedback", unit="Ω", low=0.0, high=1e7, step="E24",
                 schools="none: the integrator acts alone; of a coupler fed from elsewhere, what makes the loop answer at once"),
    DecisionSpec("feedback.c_pole", "Capacitor at the controller's pin", "feedback", unit="F", low=1e-12, high=1e-5, step="E6"),
)
_LEFT_OUT = "line and load as resistors; second filters of other outputs"
FIGURES = (
    FigureSpec("feedback.crossover", "Crossover of the loop, highest", "f_c", "feedback", corners.QUARTER, fixed=_LEFT_OUT,
               sentence="coupler and capacitors new, or both old and cold: whichever makes it faster"),
    FigureSpec("feedback.crossover_least", "Crossover of the loop, lowest", "f_c,lo", "feedback", corners.QUARTER, "min", fixed=_LEFT_OUT,
               sentence="what a load step has to wait for at the end of the coupler's life"),
    FigureSpec("feedback.phase_margin", "Phase margin", "φ_m", "feedback", corners.QUARTER, "min", "feedback.margin_wanted", "min",
               fixed=_LEFT_OUT, look_only=True,
               sentence="what the loop's phase keeps from half a turn where its gain is one; below 30° every step rings"),
    FigureSpec("output1.ripple_line_pp", "Output ripple from the line", "ΔV_lf", "feedback", corners.FULL, limit="output1.ripple_limit",
               limit_kind="max", fixed="the bus's ripple as a sine of its height; " + _LEFT_OUT, look_only=True,
               sentence="what the loop leaves of the bus's ripple; that of the pulses comes on top"),
    FigureSpec("feedback.gain_margin", "Gain margin", "A_m", "feedback", corners.QUARTER, "min", "feedback.gain_wanted", "min",
               fixed=_LEFT_OUT, look_only=True, sentence="how much more gain the loop would stand, up to half the pulse rate"),
)


class Compensation(Struct, frozen=True):
    """What is around the stage: transfer ratios new and old, resistors [Ω], the integrator's capacitor [F], poles of pin and coupler [Hz];
    direct: whether the coupler hangs on the output itself, before a second filter; the divider stands behind it (common practice);
    r_zero: in series with the integrator's capacitor [Ω]."""

    ratios: tuple[float, float]
    r_led: float
    r_high: float
    c_zero: float
    pole: float
    coupler: float
    direct: bool
    r_zero: float = 0.0

    @property
    def at_once(self) -> float:
        """Share of the output's movement that acts at once, beside the integrator."""
        return 1.0 if self.direct else self.r_zero / self.r_high

    def fed(self, w: Array, end: int) -> Array:
        """Amperes pulled from the pin per volt across the coupler's resistor."""
        return self.ratios[end] / self.r_led / (loop.first_order(w, self.pole) * loop.first_order(w, self.coupler))

    def around(self, w: Array, end: int, behind: Array) -> Array:
        """The same per volt of the output, its sign left out; behind: share of it where the divider is."""
        return self.fed(w, end) * (float(self.direct)
                                   + behind * (self.r_zero / self.r_high + loop.integrated(w, self.r_high, self.c_zero)))


class Loop(Struct, frozen=True):
    """A stage with its compensation, for pictures."""

    signal: Signal
    compensation: Compensation

    def open(self, f: Array, end: int, only: Any = slice(None)) -> Array:
        """Gain of the open loop, its sign left out, at frequencies [Hz] (m,); (m, corners)."""
        w = 2 * np.pi * np.asarray(f)[:, None]
        gain, behind, _ = self.signal.plant(w, end, only)
        return gain * self.compensation.around(w, end, behind)


def record(work: Work, signal: Signal, r_led_most: Row) -> Loop:
    """Choose what compensates the loop and record what it gives; r_led_most: the largest resistor with which the old coupler still stops
    the pulses."""
    choose, rows = work.choose, work.sheet.rows
    coupler = float(choose("feedback.f_coupler", idle.pole(work), f"into a pin of {show(idle.pin_resistance(work), 'Ω')} (typical, from "
                           "memory)").value)
    ratio = float(rows["feedback.ctr"].value)
    ratios = (ratio * float(choose("feedback.ctr_spread", 2.0, "a class of 80 to 160 % (typical, from memory)").value),
              ratio * float(rows["feedback.ctr_left"].value))
    wanted = float(choose("feedback.margin_wanted", STEADY, "at the worst corner (common practice)").value)
    highest, why = _highest(signal, coupler)
    f = signal.frequencies(min(highest, float(choose.pins.get("feedback.f_aim", highest))) / DOWN, COUNT)
    tried = Tried(signal, f, Compensation(ratios, 1.0, float(rows["feedback.r_high"].value), 1.0, _pole(work, signal), coupler, True),
                  float(r_led_most.value), wanted)
    aim = tried.aim(highest, why)
    feed = str(choose("feedback.feed", FIXED if aim is None else DIRECT,
                      "the resonance of the stage, or a low output, leaves no margin to a coupler that hangs on it: from a rail of about "
                      "this voltage" if aim is None else "it answers at once, and the margins hold").value)
    f_aim = float(choose("feedback.f_aim", aim or (highest, why, ()) if feed == DIRECT else (highest, why, ())).value)
    by_aim = (tried.resistor(f_aim), f"E24: the fastest corner crosses at {show(f_aim, 'Hz')}, and the old coupler still stops the pulses",
              ())
    r_led = float(choose("feedback.r_led", by_aim if feed == DIRECT else largest(r_led_most), most=r_led_most).value)
    path = replace(tried.bare, r_led=r_led, direct=feed == DIRECT)
    if feed == FIXED:
        path = replace(path, r_zero=float(choose("feedback.r_zero", partial(tried.series, path, f_aim, signal.rings)).value))
    line = None if work.need.is_dc else Line(work, signal)
    made = replace(path, c_zero=float(choose("feedback.c_zero", lambda: _integrator(tried, path, f_aim, line)).value))
    _figures(work, signal, tried.margins(made))
    _record_step(work, signal, tried, made)
    if line is not None:
        _record_line(work, line, made)
    return Loop(signal, made)


class Line:
    """The bus's ripple on its way to the output: what the pin has to move between valley and crest, the output has to move by for it."""

    def __init__(self, work: Work, signal: Signal) -> None:
        grid, self.signal, self.pulses = work.grid, signal, PULSES[work.need.mains.kind]
        self.w = 2 * np.pi * (self.pulses * np.asarray(grid.freqs))[:, None]
        moves = np.broadcast_to(signal.asked, grid.shape)
        self.swing, self.full = np.abs(moves[..., :1] - moves[..., -1:]), np.broadcast_to(corners.FULL.mask(grid), grid.shape)
        self.plants = [signal.plant(self.w, end) for end in (NEW, OLD)]
        self.limit, self.beside = (plain(work.sheet.rows[id]) for id in ("output1.ripple_limit", "output1.ripple_pp"))

    def left(self, made: Compensation) -> Array:
        """What is left of it at the output [V], the worse of new and old."""
        per_volt = [np.abs(gain / (1 + gain * made.around(self.w, end, behind)))
                    for end, (gain, behind, _) in zip((NEW, OLD), self.plants, strict=True)]
        return self.swing * np.stack([self.signal.where.spread(x)[:, k] for k, x in enumerate(np.max(per_volt, 0))], 1)

    def together(self, left: Array) -> Array:
        """What is left of it and the ripple of the pulses at full load [V], 0 elsewhere."""
        return np.where(self.full, left + self.beside, 0.0)

    def fits(self, made: Compensation) -> bool:
        """Whether both stay within what is asked for together."""
        return bool((self.together(self.left(made)) <= self.limit).all())


def _integrator(tried: "Tried", path: Compensation, aim: float, line: Line | None) -> tuple[float, str, Refused]:
    """The integrator's capacitor by rule, and why: a smaller one than its crossovers ask for where that leaves less of the line's
    ripple. path: all else."""
    usual = tried.integrator(path, aim)
    if tried.alone(path):
        return usual, "E6: it crosses by itself, the least with which the margins hold", ()
    why = "E6: the integrator ends at a quarter of the lowest crossover"
    with_c = lambda c: replace(path, c_zero=c)  # noqa: E731
    smaller = [usual]
    while line is not None and smaller[-1] > OFFERS[0] and not line.fits(with_c(smaller[-1])):
        smaller.append(at_most(smaller[-1] * (1 - 1e-6), "E6"))
    holds = lambda c: tried.holds(tried.margins(with_c(c)), aim)  # noqa: E731
    if len(smaller) > 1 and not holds(smaller[-1]):  # mostly it does
        smaller = smaller[: bisect_left(range(1, len(smaller)), True, key=lambda k: not holds(smaller[k])) + 1]
    found = smaller[-1]
    return found, why if found == usual else f"{why}; higher up as far as the margins hold, for what is left of the bus's ripple", ()


def largest(r_led_most: Row) -> tuple[float, str, Refused]:
    """The coupler's resistor where the loop does not ask for a smaller one, and why."""
    return at_most(float(r_led_most.value), "E24"), "largest of E24 with which the coupler still stops the pulses when it is old", ()


class Tried:
    """A stage on frequencies f (m,) [Hz] with what is fixed around it, for looking at values of the rest. bare: with all that is fixed;
    most: largest coupler's resistor [Ω]; wanted: phase margin [°]."""

    def __init__(self, signal: Signal, f: Array, bare: Compensation, most: float, wanted: float) -> None:
        self.f, self.w, self.most, self.bare, self.wanted = f, 2 * np.pi * f[:, None], most, bare, wanted
        self.plants = [signal.plant(self.w, end) for end in (NEW, OLD)]
        self.sizes = loop.decades(
            np.concatenate([gain * bare.fed(self.w, end) for end, (gain, *_) in zip((NEW, OLD), self.plants, strict=True)], 1))
        self._slowest: dict[float, float] = {}

    def resistor(self, aim: float, most: float | None = None) -> float:
        """Of E24, with which no corner crosses above the aim [Hz]; no more than the most."""
        k = int(np.clip(np.searchsorted(self.f, aim) - 1, 0, len(self.f) - 2))
        share = np.log(aim / self.f[k]) / np.log(self.f[k + 1] / self.f[k])
        least = at_least(BESIDE * 10.0 ** float((self.sizes[k] + share * (self.sizes[k + 1] - self.sizes[k])).max()), "E24")
        most = self.most if most is None else most
        return least if least <= most else at_most(most, "E24")

    def slowest(self, path: Compensation) -> float:
        """Lowest crossover [Hz] without the integrator."""
        seen = path.r_led / path.at_once
        if seen not in self._slowest:
            self._slowest[seen] = float(loop.crossing(self.f, self.sizes - np.log10(seen))[0].min())
        return self._slowest[seen]

    def alone(self, path: Compensation) -> bool:
        """Whether some corner crosses by its integrator alone."""
        return path.at_once == 0 or self.slowest(path) <= 2 * self.f[0]

    def integrator(self, path: Compensation, aim: float) -> float:
        """Capacitor of E6 with which the integrator ends well below that; where it crosses itself, the least with which the margins
        hold."""
        if not self.alone(path):
            return at_least(ZERO_BELOW / (2 * np.pi * path.at_once * path.r_high * self.slowest(path)), "E6")
        return OFFERS[min(
            bisect_left(range(len(OFFERS)), True, key=lambda k: self.holds(self.margins(replace(path, c_zero=OFFERS[k])), aim)),
            len(OFFERS) - 1)]

    def series(self, path: Compensation, highest: float, rings: bool) -> tuple[float, str, Refused]:
        """Resistor in series with the integrator of a coupler that is fed from elsewhere: of steps down from the highest crossover [Hz] the
        first with which the margins hold, where its slowest corner is faster than by the integrator alone; else none. rings: the stage,
        above which nothing should act."""
        if rings:
            return 0.0, "none: below the resonance of tank or filter only the integrator acts", ()

        def held(with_r: Compensation) -> float:
            """Its lowest crossover [Hz], 0 where some margin does not hold."""
            margins = self.margins(replace(with_r, c_zero=self.integrator(with_r, highest)))
            return float(margins.crossover.min()) if self.holds(margins, highest) else 0.0
        bare = held(path)
        for aim in (float(f"{highest * STEP**k:.2g}") for k in range(STEPS)):
            r_zero = at_most(path.r_high * path.r_led / self.resistor(aim, np.inf), "E24")
            with_r = replace(path, r_zero=r_zero)
            if self.holds(self.margins(replace(with_r, c_zero=OFFERS[-1])), aim) and (slow := held(with_r)) > FASTER * bare:
                return (r_zero, f"E24: the fastest corner crosses at {show(aim, 'Hz')}",
                        (f"0 Ω: the slowest crosses at {show(bare, 'Hz')}, here at {show(slow, 'Hz')}",))
        return 0.0, "none: no margin is left to more than an integrator", ()

    def holds(self, found: loop.Margins, aim: float) -> bool:
        """Whether margins are as wanted and no corner crosses above the aim [Hz]."""
        return bool(found.phase.min() >= ROOM * self.wanted and found.gain.min() >= ROOM * QUIET and found.crossover.max() <= aim)

    def aim(self, highest: float, why: str) -> tuple[float, str, Refused] | None:
        """Of steps down from the highest crossover [Hz] the first with which the margins hold where the coupler hangs on the output; where
        some corner crosses by its integrator alone, that with the fastest slowest corner. None where none holds."""
        refused: list[str] = []
        held: list[tuple[float, float]] = []
        for aim in (float(f"{highest * STEP**k:.2g}") for k in range(STEPS)):
            r_led = self.resistor(aim)
            path = replace(self.bare, r_led=r_led, c_zero=OFFERS[-1])  # hardly an integrator
            found = self.margins(path)
            if self.holds(found, aim):
                found = self.margins(replace(path, c_zero=self.integrator(path, aim)))
            if self.holds(found, aim):
                held.append((float(found.crossover.min()), aim))
                if not self.alone(path):
                    break
            elif not held:
                refused.append(
                    f"{show(aim, 'Hz')}: phase margin {float(found.phase.min()):.0f}°, gain margin {float(found.gain.min()):.1f} dB")
        if not held:
            return None
        best = max(held)[1]
        return best, why if best == highest else f"{why}, lowered until the margins hold", refused

    def loops(self, made: Compensation) -> Array:
        """Open loops of all corners, first new, then old (m, 2·n)."""
        return np.concatenate(
            [gain * made.around(self.w, end, behind) for end, (gain, behind, _) in zip((NEW, OLD), self.plants, strict=True)], 1)

    def margins(self, made: Compensation) -> loop.Margins:
        """Of all corners, first new, then old."""
        return loop.margins(self.f, self.loops(made))


def _highest(signal: Signal, coupler: float) -> tuple[float, str]:
    """Crossover [Hz] a loop may reach at most whatever its margins are, and why."""
    rate, lowest = 2 * signal.fastest, float(np.min(signal.right))
    asks = {f"a tenth of the pulse rate of {show(rate, 'Hz')}": OF_RATE * rate,
            f"half the coupler's own pole of {show(coupler, 'Hz')}": OF_COUPLER * coupler}
    if np.isfinite(lowest):
        asks[f"a quarter of the zero on the right side, {show(lowest, 'Hz')} at its lowest"] = OF_RIGHT * lowest
    why = min(asks, key=lambda k: asks[k])
    return float(f"{asks[why]:.2g}"), f"{why} (common practice)"


def _pole(work: Work, signal: Signal) -> float:
    """Pole of the controller's pin [Hz], where the resistance of new output capacitors begins to count."""
    first = signal.banks[0]
    pull = float(work.choose("feedback.r_pull", idle.pin_resistance(work), f"to a supply of {idle.PIN_VOLTS:g} V (typical, from "
                             "memory)").value)
    zero = 1 / (2 * np.pi * first.c[NEW] * first.esr[NEW])
    c_pole = work.choose("feedback.c_pole", lambda: max(nearest(1 / (2 * np.pi * pull * min(zero, signal.fastest)), "E6"), PIN_LEAST),
                         f"a pole at the zero of new output capacitors, {show(zero, 'Hz')}, or half the pulse rate")
    return 1 / (2 * np.pi * pull * float(c_pole.value))


def _figures(work: Work, signal: Signal, found: loop.Margins) -> None:
    """Rows of crossover and margins, at every corner the worse of new and old."""
    sheet = work.sheet
    text = (f"the open loop on {COUNT} frequencies: {signal.told}, coupler and reference; at the least and the greatest bus of each load, "
            f"in proportion between; where pulses are left out as the mean of the other loads; {{}}")
    around = ("r_led", "r_zero", "c_zero", "c_pole", "ctr", "ctr_spread", "ctr_left", "slope", "r_high")
    parts = {k: sheet.rows[f"feedback.{k}"] for k in around if f"feedback.{k}" in sheet.rows}
    both = lambda name, worst: signal.where.spread(worst(*getattr(found, name).reshape(2, -1)))  # noqa: E731
    sheet.solved("feedback.crossover", both("crossover", np.maximum), "Hz", text.format("the faster of new and old"), **parts)
    sheet.solved("feedback.crossover_least", both("crossover", np.minimum), "Hz", text.format("the slower of new and old"), **parts)
    sheet.solved("feedback.phase_margin", both("phase", np.minimum), "°", text.format("the lesser of new and old"), **parts)
    sheet.solved("feedback.gain_margin", both("gain", np.minimum), "dB", text.format("the lesser of new and old"), **parts)
    sheet.given("feedback.gain_wanted", QUIET, "dB", "rule", "at the worst corner (common practice)")


def _record_line(work: Work, line: Line, made: Compensation) -> None:
    """What is left at the output of the bus's ripple."""
    left = line.left(made)
    work.sheet.solved("output1.ripple_line_pp", left, "V", "current the pin moves by between valley and crest of the bus, by what "
                      f"the closed loop makes of it at {line.pulses} times the line frequency; the worse of new and old",
                      crossover=work.sheet.rows["feedback.crossover_least"])
    _together(work, line, left)


def _together(work: Work, line: Line, left: Array) -> None:
    """A finding where the ripple of the pulses and that of the line (left) [V] are each within what is asked for and both together are
    not."""
    limit, both = float(np.min(line.limit)), line.together(left)
    if float(np.where(line.full, left, 0.0).max()) <= limit < float(both.max()):
        at = work.grid.corner(tuple(int(i) for i in np.unravel_index(int(both.argmax()), both.shape)))
        work.find(NOTE, "feedback", "ripple of the pulses and what the loop leaves of the bus's ripple come to "
                  f"{show(float(both.max()), 'V')} together at {at.text()}; {show(limit, 'V')} are asked for", "output1.ripple_line_pp",
                  next(id for id in SMOOTHS if id in work.sheet.rows and work.sheet.rows[id].value != CHARGE))


def _record_step(work: Work, signal: Signal, tried: Tried, made: Compensation) -> None:
    """The load step of the regulated output once more, with the loop that was found."""
    need, n = work.need.outputs[work.need.main], work.need.main + 1
    if need.load_step is None:
        return
    w, most = 2 * np.pi * np.geomspace(tried.f[0], signal.fastest, FINE)[:, None], []
    times = np.geomspace(0.5 / signal.fastest, 1 / float(np.min(work.sheet.rows["feedback.crossover_least"].value)), TIMES)
    for end in (NEW, OLD):
        gain, behind, drawn = signal.plant(w, end)
        most.append(np.maximum(np.abs(loop.step_response(w, drawn / (1 + gain * made.around(w, end, behind)), times)).max(0),
                               signal.banks[0].esr[end]))
    step = need.load_step.high - need.load_step.low
    found = signal.where.spread(step * np.max(most, 0))
    begins, points = step_begins(work, need), work.grid.points
    below = [k for k, p in enumerate(points) if p.case == "run" and p.load < points[begins].load]
    found[:, :, below] = found[:, :, [begins]]
    work.sheet.solved(f"output{n}.step", found, "V",
                      f"step of {show(step, 'A')} at the closed loop, from its impedance on the frequencies of the loop; the worse of "
                      "new and old; at less than the lower end of the step as at the least load that is not",
                      crossover=work.sheet.again(f"output{n}.crossover", work.sheet.rows["feedback.crossover_least"]))
