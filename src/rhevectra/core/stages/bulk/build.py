"""Choosing what stands between plug and bus: thermistor, bridge, capacitor, and what a stacked pair needs beside."""

from collections.abc import Callable, Mapping
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, Grid
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue import limits
from rhevectra.core.formulas import doubler, rectifier
from rhevectra.core.formulas.rectifier import Bulk, LineSource
from rhevectra.core.formulas.three_phase import phase_voltage
from rhevectra.core.stages import air, inlet
from rhevectra.core.stages.bulk.position import SPLIT, Position, Shape, joined, part_of, positions
from rhevectra.core.stages.work import Work

THERMISTOR_ROOM, THERMISTOR_WARM = 2.0, 1.3
"""Rated over expected current of the inrush thermistor: usual, and where line harmonics are tight (common practice)."""
STORED = 17e-3
"""Energy in the bulk at the highest line over the input power and the square of the line's range [s], before the capacitor is chosen."""
HEAT_ROOM = 1.6
"""Over that energy in the limiter's rating: the capacitor chosen stores more, for its tolerance, its next size and hold-up."""
BELOW = 0.92
"""Least bus the stage has to work from over the valley with what is left of the capacitor, where the hold-up does not ask for less (common
practice, no source)."""
VALLEY_AIMED = {1: (0.75, "school: valley at three quarters of the lowest crest"),
                3: (0.85, "a bridge on three phases lets it fall no further than to 0.87 of the crest, whatever the capacitor")}
"""Share of the lowest crest the valley is aimed at, by phases, and why."""
UNEQUAL = 0.45
"""Power factor expected of six diodes' line that carries most on mains unbalanced by 2 % (this program's own solved line current)."""
VALLEY_THERE = 0.9
"""Valley over the crest where hold-up decides, before the capacitor is chosen: it is a large one there."""
BALANCED = 0.97
"""Share of a stacked capacitor's rating that its voltage is held to by the balance resistors (common practice)."""


class Plan(Struct, frozen=True):
    """All that was chosen. c, floor: the capacitor [F] and the least bus [V] as decided; cap: catalogue row of one of its cans side by
    side; target: valley aimed at [V]; places: how each line is rectified; r_balance: the decision beside each capacitor of a pair; limiter:
    what carries the line current in run."""

    shape: Shape
    bridge: Mapping[str, Any]
    thermistor: Mapping[str, Any]
    c: Any
    cap: Mapping[str, Any]
    cans: int
    v_class: float
    floor: Any
    target: float
    places: tuple[Position, ...]
    limiter: str = "thermistor"
    match: Any = None
    r_balance: Any = None

    @property
    def stacked(self) -> bool:
        return self.shape.pair

    @property
    def c_bus(self) -> float:
        """Capacitance as the load sees it [F]."""
        return float(self.c.value) / self.places[0].on_bus

    @property
    def source(self) -> LineSource:
        """What stands in series at the highest line."""
        return self.places[-1].source


TRIED, TRIED_TO_LAST = 10, 14
"""Values of capacitors that are tried, from below what storage asks for on; with a life to be reached, which may ask for thrice that."""
CANS, FEWEST = 6, "the fewest that do"
"""Cans side by side, at most, and why so many."""
NEEDS = VALLEY, HOLD_UP, RIPPLE, LIFE = "valley", "hold-up", "ripple current", "life"
"""What is asked of the capacitor; a life that none reaches may go unmet."""


def plan(shape: Shape, work: Work, power: float, i_hf: float) -> Plan:
    """Choose the series parts and the bulk capacitors for an input power [W] and a switching ripple current [A]."""
    need, choose = work.need, work.choose
    low, crest = _crests(work.grid.lines, shape)
    derate = choose("derating.bulk_v", 0.95, "crest voltage at most 95 % of the rating (common practice)").value
    share = choose("bulk.valley_share", *VALLEY_AIMED[shape.phases]).value
    if shape.phases == 3:
        shape = replace(shape, pair=_in_series(work, derate, crest))
    target = share * low
    lowest, fixed = float(f"{0.85 * target:.3g}"), float(choose.pins.get("bulk.v_min_stage", 0.0))
    match = (choose("bulk.match", 0.05, "two of one lot (common practice): the bus divides by their capacitance while it charges")
             if shape.pair else None)
    held = crest if match is None else 0.5 * crest * (1 + float(match.value))
    caps = work.parts["bulk_capacitors"]
    classes = sorted({r["v_class_v"] for r in caps.rows})
    v_class = next((v for v in classes if derate * v >= held), classes[-1])
    left = inlet.left_of(work)
    held_up = _for_hold_up(need, power, low, fixed or lowest, float(left.value), shape)
    line, limiter, thermistor, series = _series(shape, work, power, 0.5 * held_up * crest**2)
    table = work.parts[choose.specs["bridge.class"].table]
    rectified = line * (np.sqrt(1.5) if shape.phases == 3 else 1.0)
    bridge = table.row(choose.pins.get("bridge.class") or inlet.first_above(table, "i_rated_a", inlet.BRIDGE_ROOM * rectified))
    places = positions(work.grid.lines, shape, series, bridge["v_forward_v"], bridge["r_dynamic_ohm"])
    expected = max(2 * power * 0.75 / (shape.pulses * need.mains.f_min) / (low**2 - target**2), held_up) * (2 if shape.pair else 1)
    rows = sorted(air.lasting(work, caps.where(v_class_v=v_class).rows), key=lambda r: r["c_f"])
    c, floor, cans, cap = _capacitor(work, rows, expected, lowest, lambda tried, n: _choose_c(
        work, tried, n, places, power, i_hf, target, fixed or lowest, float(left.value), fixed > 0))
    bridge = inlet.choose_bridge(work, rectified, inlet.at_restart(limiter, thermistor),
                                 (0.5 if shape.pair else 1.0) * float(c.value) * need.mains.v_max**2, shape.in_path)
    places = positions(work.grid.lines, shape, replace(series, esr=cap["esr_ohm"] * cap["c_f"] / float(c.value)), bridge["v_forward_v"],
                       bridge["r_dynamic_ohm"])
    chosen = Plan(shape, bridge, thermistor, c, cap, cans, v_class, floor, target, places, limiter, match)
    return replace(chosen, r_balance=_balance(work, chosen, crest, held)) if shape.pair else chosen


def _in_series(work: Work, derate: float, crest: float) -> bool:
    """Whether two capacitors stand in series on a bus of that crest [V]."""
    most = derate * max(r["v_class_v"] for r in work.parts["bulk_capacitors"].rows)
    return int(work.choose("bulk.in_series", 2 if crest > most else 1,
                           f"{show(crest, 'V')} of crest; one capacitor may be charged to {show(most, 'V')} at most").value) == 2


class Chosen(Struct, frozen=True):
    """A capacitance [F] with why and the smaller ones that would not do; the bus [V] at which its hold-up ends; the needs it does not
    meet."""

    value: float
    why: str
    smaller: tuple[str, ...]
    ends: float
    short: tuple[str, ...]


def _capacitor(work: Work, rows: list[Any], expected: float, lowest: float,
               of_cans: Callable[[list[Any], int], Chosen]) -> tuple[Any, Any, int, Mapping[str, Any]]:
    """The bulk capacitor and the least bus as decided, how many cans it is made of, and the catalogue row of each. expected: about what is
    asked for in all [F]; lowest: that bus [V] where the capacitor is given; of_cans: what so many cans of some rows come to."""
    choose, asked = work.choose, work.choose.pins.get("bulk.parallel")

    def like(farads: float) -> Any:
        return min(rows, key=lambda r: abs(float(np.log(r["c_f"] / farads))))
    if choose.pinned("bulk.c") and "bulk.c" not in work.sheet.measured:
        c, floor = choose("bulk.c", None), choose("bulk.v_min_stage", lowest, "15 % below the valley aimed at")
        each = lambda n: [{**like(c.value / n), "c_f": c.value / n}]  # noqa: E731
        cans = choose("bulk.parallel", lambda: _fewest_cans(lambda n: of_cans(each(n), n), None, (RIPPLE, LIFE))[0], FEWEST)
    else:
        fewest, found = _fewest_cans(lambda n: of_cans(_tried(work.need, rows, expected, n), n), asked)
        c = choose("bulk.c", (found.value, found.why, found.smaller))
        floor = choose("bulk.v_min_stage", found.ends, "a twelfth below the valley with what is left of the capacitor, or as far below "
                       "as the hold-up asks, at most 15 % below the valley aimed at")
        cans = choose("bulk.parallel", fewest, FEWEST)
    return c, floor, int(cans.value), like(c.value / cans.value)


def _tried(need: Requirement, rows: list[Any], expected: float, cans: int) -> list[Any]:
    """The rows to be tried, so many side by side, where about `expected` [F] is asked for in all."""
    least = max(sum(cans * r["c_f"] < expected for r in rows) - 4, 0)
    return rows[least : least + (TRIED if need.lifetime is None else TRIED_TO_LAST)] or rows[-1:]


def _fewest_cans(made: Callable[[int], Chosen], asked: int | None, needs: tuple[str, ...] = NEEDS) -> tuple[int, Chosen]:
    """As many cans as somebody asked for; the fewest that meet all the needs, else all but a life that none reaches (one that is short of
    it all the same need not be large too), else the most there may be."""
    if asked is not None:
        return asked, made(asked)
    short = list[tuple[set[str], Chosen]]()
    for cans in range(1, CANS + 1):
        one = made(cans)
        short.append((set(needs) & set(one.short), one))
        if not short[-1][0]:
            return cans, one
    return next(((k, one) for k, (missed, one) in enumerate(short, 1) if missed == {LIFE}), (CANS, short[-1][1]))


def _crests(lines: tuple[float, ...], shape: Shape) -> tuple[float, float]:
    """Least and greatest crest [V] that reaches the bus, before what stands in series is known."""
    places = positions(lines, shape, LineSource(0.0, 0.0, 0.0, 0.0), 0.0, 0.0)
    low, top = (np.sqrt(2) * np.array([lines[p.lines][end] * (2 if p.doubled else 1) for p in places]) for end in (0, -1))
    return float(low.min()), float(top.max())


def _for_hold_up(need: Requirement, power: float, low: float, floor: float, left: float, shape: Shape) -> float:
    """Capacitance on the bus [F] that hold-up will about ask for. low, floor: crest of the lowest line and least bus [V]; left: share of
    the capacitance that is counted on."""
    at = float(need.hold_up_at or 0.0)
    start = VALLEY_THERE * max(np.sqrt(2) * at * (2 if shape.doubles and at <= SPLIT else 1), low)
    return float(2 * power * need.hold_up / max(start**2 - floor**2, 0.1 * start**2) / left)


def _series(shape: Shape, work: Work, power: float, held: float) -> tuple[float, str, Any, LineSource]:
    """The line current expected at lowest line [A], what limits the inrush in run and the thermistor, chosen for that and the charge of the
    bulk (held: its energy [J] at the highest line where hold-up sizes it), and what is in series with a line of the mains."""
    need, parts = work.need, work.parts
    served, turns = (SPLIT, 0.25) if shape.doubles else (np.inf, 1.0)
    joules = max(STORED * power * (need.mains.v_max / min(need.mains.v_min, served)) ** 2 * turns, held)
    if shape.phases == 3:
        return _in_lines(work, power, joules)
    current = power / (need.mains.v_min * 0.55)
    ntc = parts["thermistors"]
    room = THERMISTOR_ROOM if power < limits.D_LEAST_POWER or need.harmonics_class == "none" else THERMISTOR_WARM
    why = "a cooler part with less hot resistance" if room == THERMISTOR_ROOM else "its hot resistance keeps the line harmonics down"
    name = work.choose("inlet.thermistor", lambda: inlet.limiting(ntc, room * current, HEAT_ROOM * joules),
                       f"smallest class rated above {room:g} × {show(current, 'A')} and for {HEAT_ROOM:g} × the {show(joules, 'J')} that "
                       f"charge the bulk: {why}")
    t, z = ntc.row(name.value), need.source_impedance
    bare = LineSource(z.r + t["r_hot_ohm"], z.x / (2 * np.pi * 50), 0.0, 0.0)
    series = replace(bare, resistance=bare.resistance + inlet.filter_copper(work, need.mains.v_min, power))
    return current, "thermistor", t, series


def _in_lines(work: Work, power: float, joules: float) -> tuple[float, str, Any, LineSource]:
    """The same in each of three lines, two of which charge the bulk of so many `joules`."""
    need, low = work.need, float(phase_voltage(work.need.mains.v_min))
    current, z = power / (3 * low * UNEQUAL), need.source_impedance
    limiter, t = inlet.choose_limiter(work, current, 0.5 * HEAT_ROOM * joules)
    r = z.r + inlet.in_run(limiter, t) + inlet.filter_copper(work, low, power / 3)
    return current, limiter, t, LineSource(r, z.x / (2 * np.pi * 50), 0.0, 0.0)


def _balance(work: Work, p: Plan, crest: float, held: float) -> Any:
    """The resistor across each capacitor of a pair."""
    leak = float(doubler.leakage_difference(p.c.value, crest))
    room = max(2 * (BALANCED * p.v_class - held), 0.05 * p.v_class)
    return work.choose("bulk.r_balance", lambda: at_most(min(room / leak, 2.2e6)),
                       f"largest that keeps either capacitor below {show(p.v_class, 'V')} where their leakage differs by {show(leak, 'A')} "
                       "(common practice, from memory)")


def _choose_c(work: Work, rows: list[Any], cans: int, places: tuple[Position, ...], power: float, i_hf: float,
              target: float, floor: float, left: float, fixed: bool) -> Chosen:
    """Smallest value, of so many cans, that gives valley, hold-up with what is left of it, and ripple-current life, with the need that
    decided; and the bus [V] at which its hold-up ends: `floor` where that is fixed or the hold-up needs it, else as high as both leave
    it."""
    need, grid = work.need, work.grid
    values = cans * np.array([r["c_f"] for r in rows])
    esr, n = np.tile([r["esr_ohm"] for r in rows], 2) / cans, len(values)
    c = np.concatenate([values, left * values])
    solved = []
    for p in places:
        asked = [grid.lines[p.lines.start],
                 *([float(need.hold_up_at or 0)] if (float(need.hold_up_at or 0) in grid.lines[p.lines]) else [])]
        series = replace(p, source=replace(p.source, esr=(esr if p.on_bus == 1 or p.doubled else 2 * esr)))
        solved.append(series.solve(np.array(asked)[:, None], need.mains.f_min, power, c[None, :], residual=rectifier.ROUGH))
    valley, i_cap = np.min([b.v_valley[0] for b in solved], axis=0), np.max([b.i_cap[0, :n] for b in solved], axis=0)
    kept = next(b.v_valley[1, n:] for b in solved if len(b.v_valley) > 1)
    valley, old = valley[:n], valley[n:]
    rated = cans * np.array([r["i_rated_a"] for r in rows]) * inlet.cooler(need, rows[0])
    hold = rectifier.hold_up(left * values / places[0].on_bus, kept, floor, power)
    ok = {VALLEY: (valley >= target) & (old >= floor) & ~np.any([b.collapsed[0, :n] for b in solved], axis=0),
          HOLD_UP: hold >= inlet.ROOM * need.hold_up, RIPPLE: inlet.ROOM * np.hypot(i_cap, i_hf) <= rated,
          LIFE: inlet.ROOM * np.hypot(i_cap, i_hf) <= cans * np.array([air.carried(work, r) for r in rows])}
    short = tuple(name for name, good in ok.items() if not good.any())
    if need.lifetime is None or not ok[LIFE].any():
        del ok[LIFE]
    first = {name: (int(np.argmax(good)) if good.any() else len(values) - 1) for name, good in ok.items()}
    name = max(first, key=lambda k: first[k])
    index = first[name]
    asks = ", ".join(f"{k} asks {show(values[i], 'F')}" for k, i in first.items())
    why = (f"decided by {name}; {asks}, hold-up with {left * 100:.0f} % of it left; "
           f"{_per_watt(need, values[index] / power, places[0])}")
    smaller = []
    for i in range(max(index - 3, 0), index):
        lacks = next(k for k, good in ok.items() if not good[i])
        number = {VALLEY: show(valley[i], "V"), HOLD_UP: show(hold[i], "s"),
                  **dict.fromkeys((RIPPLE, LIFE), show(float(np.hypot(i_cap[i], i_hf)), "A"))}[lacks]
        smaller.append(f"{show(values[i], 'F')}: {lacks} {number}")
    spare = kept[index] ** 2 - 2 * power * inlet.ROOM * need.hold_up * places[0].on_bus / (left * values[index])
    ends = floor if fixed else max(floor, min(BELOW * old[index], np.sqrt(max(spare, 0.0))))
    return Chosen(float(values[index]), why, tuple(reversed(smaller)), float(f"{ends:.3g}"), short)


def _per_watt(need: Requirement, each: float, place: Position) -> str:
    """A capacitance for each watt [F/W], in the place it has on the bus, beside what people are used to."""
    on_bus = place.on_bus
    if place.phases == 3:
        return f"{each / on_bus * 1e6:.2f} µF/W as the bus sees them"
    habit = "1 µF/W" if need.mains.v_min > SPLIT or on_bus > 1 else "2 to 3 µF/W"
    return (f"{each / on_bus * 1e6:.2f} µF/W{' as the bus sees them' if on_bus > 1 else ''} (habit: {habit}, common practice)")


def bus(plan: Plan, grid: Grid, power: Array, near: Bulk | None = None, share: float = 1.0) -> tuple[Array, Bulk]:
    """Bus voltage at valley and crest [V], shape of the grid, for an input power [W] that broadcasts to (lines, freqs, points, 1), with a
    share of the capacitance.

    Rough without an earlier solution to start from (for choosing parts) and with a share of the capacitor, which nobody knows exactly;
    exact with one.
    """
    shape = (*grid.shape[:3], 1)
    v, f, power = np.broadcast_to(grid.v_line, shape), np.broadcast_to(grid.f_line, shape), np.broadcast_to(power, shape)
    c, residual = share * float(plan.c.value), rectifier.RESIDUAL if near is not None and share == 1.0 else rectifier.ROUGH
    b = joined([p.solve(v[p.lines], f[p.lines], power[p.lines], c, None if near is None else part_of(near, p.lines), residual)
                for p in plan.places])
    return np.concatenate([b.v_valley, b.v_peak], axis=-1), b
