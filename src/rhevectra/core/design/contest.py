"""The contest: every topology designed for the same requirement within the same budget, measured alike, ranked, with the reason each one
loses."""

import re
from collections import deque
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Protocol

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from rhevectra.core.basis.corners import PEAKS
from rhevectra.core.basis.findings import MUST_FIX, Finding
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue, shipped
from rhevectra.core.design.cost import cost_index, magnetics_volume, part_count, whole_bill
from rhevectra.core.design.design import Design, least_margin
from rhevectra.core.design.names import spoken
from rhevectra.core.design.regulators import LINEAR, REGULATED
from rhevectra.core.design.size import size, usual_front_end
from rhevectra.core.stages import FRONT_ENDS, beside, clamps_for, front_ends_for
from rhevectra.core.topologies import TOPOLOGIES, usual_topology
from rhevectra.core.topologies.common import low

COMMON = ("front_end",)
"""Pins every topology keeps; all others are dropped, for they were made for one of them."""
WEIGHTS = {"loss": 1.0, "magnetics_volume": 0.5, "cost_index": 1.0, "switch_stress": 0.25}
"""How much each measure counts in the order; each is taken over the least of all that can be built."""
ASKED = ("efficiency", "standby.power", "feedback.error")
"""Figures whose limits are asked for in the requirement and do not stop a design: one that misses them stands behind all that do not."""
CLAMP = "clamp.kind"
OF_LOOP = "feedback.i_end"
"""The figure that the loop sets, which is not worked out here: without it, it just keeps its limit always."""
HIGHER = 2.25
"""Over the frequency a search begins with, one more that it tries where a height that is limited asks for it."""
NEAR = 0.02
"""How far behind by the score a power factor stage is with the usual topology that the others do not try it: what it adds to loss, volume,
cost and stress hardly depends on what follows it."""


class Entry(Struct, frozen=True):
    """One topology with its best design. pins: what the search chose; tried: how many designs it made; volumes [m³], stresses per output
    watt; tightest: the figure that leaves the least margin; missed: what is asked for and not met, each a sentence; short: by how much in
    all, as shares of the limits."""

    topology: str
    front_end: str | None
    findings: tuple[Finding, ...]
    pins: Mapping[str, Any]
    tried: int
    feasible: bool
    efficiency: float
    efficiency_light: float
    loss: float
    magnetics_volume: float
    switch_stress: float
    capacitor_stress: float
    part_count: int
    cost_index: float
    tightest_margin: float
    tightest: str = ""
    missed: tuple[str, ...] = ()
    short: float = 0.0
    rank: int | None = None
    reason: str = ""

    @property
    def hopeless(self) -> bool:
        """Whether it is so far from what can be built that its numbers say nothing: it burns more than it gives."""
        return not self.feasible and self.efficiency < 0.5


def _entry(design: Design, pins: Mapping[str, Any]) -> Entry:
    """A design measured."""
    bill, power, grid, volume = whole_bill(design), design.requirement.power, design.grid, magnetics_volume(design)
    peaks = PEAKS.mask(grid)
    highest = lambda id: float(np.broadcast_to(np.asarray(design.rows[id].value, float), grid.shape)[peaks].max())  # noqa: E731
    (_, dies), *more = TOPOLOGIES[design.topology].bill(design)["switches"]
    stress = (dies // beside.number(design.rows) + sum(n for _, n in more)) * highest("switch.v_peak") * highest("switch.i_peak")
    stress += highest("pfc.v_switch") * highest("pfc.i_peak") if "pfc.i_peak" in design.rows else 0.0
    stored = sum(float(design.value(f"output{n}.i_c_rms")) * o.magnitude for n, o in enumerate(design.delivered.outputs, 1)
                 if f"output{n}.i_c_rms" in design.rows)
    margin, tightest = min(
        ((least_margin(s, design.rows, grid), s.label) for id, s in design.specs.items() if id in design.rows and s.limit in design.rows
         and id != OF_LOOP), default=(0.0, ""))
    return Entry(design.topology, None if design.requirement.is_dc else design.front_end, design.findings, dict(pins), 1, design.feasible,
                 float(design.value("efficiency")), float(design.value("efficiency_light")), float(design.value("loss.total")),
                 volume, stress / power, stored / power, part_count(bill), cost_index(design, bill, volume), margin, tightest,
                 *_missed(design))


def _missed(design: Design) -> tuple[tuple[str, ...], float]:
    """What the requirement asks for and the design does not give, though it can be built, and how far it is from that."""
    asked = [id for id in ASKED if id != "efficiency" or design.requirement.efficiency_target is not None]
    missed = [f for f in design.findings if f.figure in asked]
    return tuple(f.text.partition(";")[0] for f in missed), -sum(design.figure(f.figure).margin or 0.0 for f in missed)


def score(entry: Entry, least: Mapping[str, float], weights: Mapping[str, float]) -> float:
    """Weighted sum of the measures over the least of each."""
    return sum(w * getattr(entry, m) / max(least[m], 1e-12) for m, w in weights.items())


def _place(entry: Entry, least: Mapping[str, float], weights: Mapping[str, float]) -> tuple[bool, bool, float]:
    """What the order goes by: first what can be built and gives all that is asked, then what misses some of that, then what cannot be
    built; each by its score."""
    return not entry.feasible, bool(entry.missed), score(entry, least, weights)


def _least(entries: Sequence[Entry], weights: Mapping[str, float]) -> dict[str, float]:
    field = [e for e in entries if e.feasible] or list(entries)
    return {m: min(float(getattr(e, m)) for e in field) for m in weights}


class Makers(Protocol):
    """Who makes the designs a search asks for: they are taken in any order."""

    def ask(self, tried: Mapping[str, Any]) -> None:
        """A design of these pins is wanted."""

    def take(self) -> Entry:
        """The next that is made and measured."""


class OneByOne(Struct):
    """Makes designs one after the other, in the order they are asked for."""

    need: Requirement
    catalogue: Catalogue | None
    asked: deque[Mapping[str, Any]] = field(default_factory=deque)

    def ask(self, tried: Mapping[str, Any]) -> None:
        self.asked.append(tried)

    def take(self) -> Entry:
        return entry_of(self.need, self.catalogue, self.asked.popleft())


def entry_of(need: Requirement, catalogue: Catalogue | None, tried: Mapping[str, Any]) -> Entry:
    """One design, measured. tried: its pins with the topology."""
    return _entry(size(need, tried, None, catalogue, noise=False, loop=False), tried)


def contest(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None, common: Sequence[str] = COMMON,
            weights: Mapping[str, float] | None = None, makers: Makers | None = None) -> Iterator[tuple[int, int, Entry]]:
    """Yields (done, total, entry) while it works: the best so far of one topology, the first of each as soon as it stands.

    Each topology may choose its own front end, frequency and ripple (its CONTEST), and core, turns, wire and parts by its rules; makers:
    who makes the designs (one after the other here, unless told). Raises InputError where a common pin cannot be used at all.
    """
    kept, used, maker = {k: v for k, v in (pins or {}).items() if k in common}, weights or WEIGHTS, makers or OneByOne(need, catalogue)
    example = example_of(need)
    told = _Fronts(example)
    found: dict[str, list[Entry]] = {name: [] for name in (example, *(n for n in TOPOLOGIES if n != example))}
    parts = catalogue or shipped()
    searches = {name: _search(need, name, kept, mine, used, told, parts) for name, mine in found.items()}
    open_ = dict.fromkeys(found, 0)

    def go_on(name: str) -> None:
        """Asks for what a topology wants to try next, if it wants anything now."""
        for own in next(searches[name], ()):
            maker.ask({"topology": name, **kept, **own})
            open_[name] += 1
    for name in searches:
        go_on(name)
    done = 0
    while any(open_.values()):
        entry = maker.take()
        name, mine = entry.topology, found[entry.topology]
        mine.append(entry)
        open_[name] -= 1
        done += 1
        for other in searches:
            if not open_[other]:
                go_on(other)
        yield done, done + sum(open_.values()) + sum(max(_most_tries(n) - len(found[n]) - open_[n], 0) for n in found if open_[n]), replace(
            _best(mine, used), tried=len(mine))


def choices_of(need: Requirement, name: str, parts: Catalogue) -> dict[str, tuple[Any, ...]]:
    """What the search of a topology may choose, and the values it tries; frequencies from where a height that is limited begins."""
    choices = dict(TOPOLOGIES[name].CONTEST)
    faster = low.rate(need, parts, low.RESONANT)[0] / choices["fs"][0]  # the least of all: the search goes up from there
    for spec in TOPOLOGIES[name].DECISIONS if faster > 1.0 else ():
        if spec.id in choices and spec.unit == "Hz":
            first, second, *rest = choices[spec.id]
            choices[spec.id] = tuple(dict.fromkeys(min(float(f"{faster * v:.2g}"), spec.high)
                                                   for v in (first, second, HIGHER * first, *rest)))
    return choices


def _most_tries(name: str) -> int:
    """Designs a topology makes with one front end, at most."""
    return 1 + sum(len(choices) - 1 for choices in TOPOLOGIES[name].CONTEST.values())


def example_of(need: Requirement) -> str:
    """The topology whose front ends are tried first: the usual one."""
    return usual_topology(need, not need.is_dc and FRONT_ENDS[usual_front_end(need)[0]].SHAPES_CURRENT)[0]


class _Fronts(Struct):
    """What the usual topology has made of the power factor stages, told once and for all: the others try those that are worth it."""

    example: str
    made: dict[str, Entry] | None = None

    def worth(self, entry: Entry, others: Sequence[str], weights: Mapping[str, float]) -> list[str]:
        """Of other power factor stages for the best of a topology those near the best, and those that lose less where it misses what is
        asked: each is expected to change every measure as it did with the example. One that cannot be judged so is worth a try."""
        made = {front: e for front, e in (self.made or {}).items() if e.feasible}
        here = made.get(entry.front_end or "")
        if here is None or not entry.feasible:
            return list(others)
        expected = {front: replace(entry, **{m: getattr(entry, m) + getattr(made[front], m) - getattr(here, m) for m in weights})
                    for front in others if front in made}
        field = [entry, *expected.values()]
        least = _least(field, weights)
        best = min(score(e, least, weights) for e in field)
        return [front for front in others if front not in expected or (entry.missed and expected[front].loss < entry.loss)
                or score(expected[front], least, weights) < (1 + NEAR) * best]


def _search(need: Requirement, name: str, kept: Mapping[str, Any], found: Sequence[Entry], weights: Mapping[str, float],
            told: _Fronts, parts: Catalogue) -> Iterator[list[dict[str, Any]]]:
    """What a topology tries, one choice after the other, each from the best so far: front end, frequency, ripple; nothing while it waits
    for the example. found: what has been made of it when it is asked again."""
    choices = choices_of(need, name, parts)
    yield [{knob: values[0] for knob, values in choices.items()}]
    refused = any(f.severity == MUST_FIX and f.cure == "topology" and not f.figure
                  for f in found[0].findings)  # for what it is, not for a figure: no other choice would change that
    free = not (need.is_dc or "front_end" in kept or refused)

    def best() -> dict[str, Any]:
        return own_choices(_best(found, weights).pins, name)

    def fronts() -> Iterator[list[dict[str, Any]]]:
        others = _other_front_ends(need, found) if free else []
        if others and name != told.example and _shapes(found[0]):
            while told.made is None:
                yield []
            others = told.worth(_best(found, weights), others, weights)
        if others:
            yield [{**best(), "front_end": front} for front in others]
    yield from fronts()
    if name == told.example:
        told.made = {str(e.front_end): e for e in found}
    if refused:
        return
    for knob, values in choices.items():
        for value in values[1:]:
            yield [{**best(), knob: value}]
            if best()[knob] == value and (need.height_max is None or _best(found, weights).feasible):
                break  # a lower frequency is not looked at where a higher one is better; under a lid a still higher one may do
    yield from fronts()  # what was found since may ask for more of them
    if held := {k: v for k, v in _regulators(_best(found, weights)).items() if k not in kept}:
        yield [{**best(), **held}]
    if (turned := _turned(_best(found, weights))) and CLAMP not in kept:
        yield [{**best(), CLAMP: turned}]


def own_choices(pins: Mapping[str, Any], name: str) -> dict[str, Any]:
    """Of the pins of an entry what the search chose: front end, what its topology may try, regulators, another clamp."""
    return {k: v for k, v in pins.items() if k in ("front_end", CLAMP) or k in TOPOLOGIES[name].CONTEST or k.endswith(REGULATED)}


def _turned(entry: Entry) -> str:
    """A clamp that hands back what it catches, for what can be built and misses the efficiency by what its clamp burns more than by
    anything else; empty where there is none."""
    asks = entry.feasible and any(f.figure == "efficiency" and f.cure == CLAMP for f in entry.findings)
    return next((kind for kind, clamp in clamps_for(TOPOLOGIES[entry.topology]).items() if asks and clamp.TURNS), "")


def _regulators(entry: Entry) -> dict[str, str]:
    """Linear regulators for what cannot be built only because outputs that no loop holds leave their tolerance; empty where something else
    stands against it too."""
    of = [_OF_RANGE.fullmatch(f.figure) for f in entry.findings if f.severity == MUST_FIX]
    return {f"{found[1]}{REGULATED}": LINEAR for found in of if found} if all(of) else {}


def _best(entries: Sequence[Entry], weights: Mapping[str, float]) -> Entry:
    """The best of one topology: of what can be built the nearest to what is asked, of those that give it the best by its score."""
    least = _least(entries, weights)
    return min(entries, key=lambda e: (not e.feasible, e.short, score(e, least, weights)))


def _shapes(entry: Entry) -> bool:
    """Whether its front end draws a sine."""
    return entry.front_end is not None and bool(FRONT_ENDS[entry.front_end].SHAPES_CURRENT)


def _other_front_ends(need: Requirement, found: Sequence[Entry]) -> list[str]:
    """What is tried beyond the front ends that were: one that calls itself a rival for these mains; every other power factor stage where
    the class of harmonics asks for one, or where no design stands because of the plain one; elsewhere it would only add loss and cost."""
    stands, shaped = any(e.feasible for e in found), _shapes(found[0])
    asked = shaped if stands else any(f.severity == MUST_FIX and f.stage in ("inlet", "bulk", "pfc") for e in found for f in e.findings)
    tried = {e.front_end for e in found}
    return [front for front, module in front_ends_for(need.mains.kind).items()
            if front not in tried and (asked if module.SHAPES_CURRENT else not shaped and module.rivals(need))]


def ranked(entries: Sequence[Entry], weights: Mapping[str, float] | None = None) -> list[Entry]:
    """The entries in order, ranks given to those that can be built, and each with its reason."""
    used = weights or WEIGHTS
    least = _least(entries, used)
    order = sorted(entries, key=lambda e: _place(e, least, used))
    best = order[0]
    second = order[1] if len(order) > 1 and order[1].feasible else None
    out = []
    for k, e in enumerate(order):
        rank = k + 1 if e.feasible else None
        reason = _cannot(e) if not e.feasible else _leads(e, second) if e is best else _loses(e, best)
        out.append(replace(e, rank=rank, reason=reason))
    return out


_SAYS = {"loss": ("loses {} against {}", "W", 1.0), "magnetics_volume": ("needs {} of cores against {}", "cm³", 1e6),
         "cost_index": ("costs {} against {}", "", 1.0), "switch_stress": ("stresses its switches with {} against {}", "VA/W", 1.0)}


def _leads(entry: Entry, second: Entry | None) -> str:
    """What the first is ahead in, against the next that can be built, and what it misses."""
    misses = f"; as all that can be built it misses what is asked: {'; '.join(entry.missed)}" if entry.missed else ""
    if second is None:
        return "the only one that can be built" + misses
    first = "the only one that gives all that is asked" if second.missed and not entry.missed else "first by the weights set"
    ahead = [m for m in _SAYS if _ratio(m, entry, second) < 1.0]
    return (first + (f"; beside {spoken(second.topology)} it " + "; ".join(_compare(m, entry, second) for m in ahead[:3]) if ahead else "")
            + misses)


def _loses(entry: Entry, best: Entry) -> str:
    """What it misses of what is asked; at most three measures in which it falls behind the winner, the worst first; where there is one
    only, what it is ahead in follows."""
    ratio = {m: _ratio(m, entry, best) for m in _SAYS}
    order = sorted(ratio, key=lambda m: -ratio[m])
    behind, ahead = [m for m in order if ratio[m] > 1.0], [m for m in reversed(order) if ratio[m] < 1.0]
    told = [_compare(m, entry, best) for m in behind[:3]]
    if len(behind) < 2:
        told.append("ahead where it " + " and ".join(_compare(m, entry, best) for m in ahead[:2]) if ahead
                    else "in all else they read the same")
    return "; ".join([*([f"misses what is asked: {'; '.join(entry.missed)}"] if entry.missed else []), *told])


def _ratio(measure: str, entry: Entry, other: Entry) -> float:
    """Of one measure in both; one where they read the same."""
    a, b = (_told(measure, e) for e in (entry, other))
    return 1.0 if a == b else float(getattr(entry, measure)) / max(float(getattr(other, measure)), 1e-12)


def _told(measure: str, entry: Entry) -> str:
    _, unit, scale = _SAYS[measure]
    return f"{show(float(getattr(entry, measure)) * scale)} {unit}".strip()


def _compare(measure: str, entry: Entry, best: Entry) -> str:
    return _SAYS[measure][0].format(_told(measure, entry), _told(measure, best))


_OF_RANGE = re.compile(r"(output\d+)\.v_(low|high)")
_CHOSEN = re.compile(r"; freeing the pin on \S+(?: or changing (\S+))? may cure it")
"""What a finding says of pins: here the search chose them, within what it may, and nobody can free one."""


def _cannot(entry: Entry) -> str:
    """Why it cannot be built: its first two faults, and its loss and magnetics where there is one fault only."""
    texts = [_CHOSEN.sub(lambda found: f"; change {found[1]}" if found[1] else "", f.text) for f in entry.findings
             if f.severity == MUST_FIX]
    return "cannot be built: " + "; ".join(texts[:2]) + (
        f" ({show(entry.loss, 'W')} lost, {show(entry.magnetics_volume * 1e6)} cm³ of cores)" if len(texts) < 2 else "")
