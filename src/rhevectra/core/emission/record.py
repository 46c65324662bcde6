"""Choosing the filter and recording what is left of the noise, worst of the lowest and the highest line at full load."""

from collections.abc import Callable, Mapping
from functools import cached_property, partial
from types import ModuleType
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, Corner
from rhevectra.core.basis.findings import LOOK_AT, NOTE
from rhevectra.core.basis.preferred import SERIES, at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.catalogue.limits import NOISE_EDITION, conducted_limit
from rhevectra.core.emission import chokes
from rhevectra.core.emission.declare import ONE, TWO, in_each, stages_of
from rhevectra.core.emission.spectrum import Lines, bus_ripple, edge_of, even, faster, harmonics, strongest, waves
from rhevectra.core.formulas import magnetics, noise
from rhevectra.core.magnetics import arrangement
from rhevectra.core.magnetics.compare import facing
from rhevectra.core.stages import FRONT_ENDS, rate
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.core.topologies.common import pieces

E6 = np.array([float(f"{m}e{d}") for d in range(-6, -1) for m in SERIES["E6"]])
DM_MOST, CM_LEAST, CM_MOST = 4.7e-3, 0.1e-3, 47e-3
"""Largest chokes [H] that are proposed, and the smallest common-mode one (common practice)."""
SHIELD_LEAVES, BALANCED_LEAVES = 0.10, 0.2
"""Share of the winding's capacitance that a shield leaves, and that ends of the primary leave that swing against each other (common
practice, no source)."""
Y_MOST = 4.7e-9
Y_LEAST = 100e-12
"""Smallest Y capacitor worth its place [F] (common practice, no source)."""
DM_ONE = 1.0e-3
"""Differential choke [H] beyond which two stages are the smaller filter (common practice, no source)."""


class Sources(Struct, frozen=True):
    """Differential source [V rms between the lines], the power stage's node [V rms], which drives its own capacitance and the winding's,
    and that of a boost stage, which drives its own, at one corner."""

    differential: Lines
    node: Lines
    boost: Lines | None = None


def sources(design: Any, front: ModuleType, corner: Corner) -> Sources:
    """Every source of noise of a design at a corner."""
    shapes, edge = waves(design, corner), edge_of(design)
    node = even(shapes[0])
    own = strongest(*harmonics(node, shapes[0].period, edge, faster(design)))
    if not hasattr(front, "switching"):
        plan = design.context["front"]
        return Sources(
            bus_ripple(design, corner, next(s for s in shapes if s.unit == "A"), node, edge, float(plan.source.esr),
                       plan.c_bus), own)
    s = front.switching(design.context["front"], corner.v_line, float(design.rows["inlet.power"].at(corner.index)))
    spread = faster(design, rate.FRONT)
    f, amps = noise.triangle(s.f0, s.ripple, s.duty, s.phases, spread)
    return Sources(strongest(f, amps * np.abs(noise.capacitor(f, float(design.rows["inlet.c_in"].value)))), own,
                   strongest(*noise.square(s.f0, s.swing, s.duty, s.edge, spread)))


def corners_of(design: Any) -> tuple[Corner, ...]:
    """Where the noise is looked at: both ends of the mains, full load."""
    grid = design.grid
    return tuple(grid.find(v) for v in dict.fromkeys((grid.lines[0], grid.lines[-1])))


class Bench(Struct, frozen=True, dict=True):
    """The design on the artificial mains network: its sources at each corner, capacitance the winding drives without a shield and the node
    drives itself [F], Y capacitors together and X capacitor of each stage [F]; stages of the filter."""

    found: tuple[Sources, ...]
    winding: float
    sink: float
    c_y: float
    c_x: float
    stages: int = 1

    def with_filter(self, rows: Mapping[str, Any]) -> "Bench":
        """The same with the stages that are decided, and the capacitors they share."""
        n = stages_of(rows)
        c_y, count, c_x = (float(rows[f"inlet.{k}"].value) for k in ("c_y", "y_count", "c_x"))
        return replace(self, stages=n, c_y=count * in_each(c_y, n), c_x=in_each(c_x, n))

    def common(self, l_cm: Any, filtered: bool = True, shield: float = 1.0) -> Array:
        """Most by which common noise passes the limit [dB]; l_cm [H] has a last axis of one where several are tried, which is taken
        away."""
        lines, own = self._nodes
        c = np.where(own, self._driving(shield), self._driving(0.0))
        return _most(noise.common(lines.f, lines.volts, c, l_cm, self.c_y if filtered else 0.0, self.stages))

    def driven(self, s: Sources, shield: float) -> tuple[tuple[Lines, float], ...]:
        """Nodes with the capacitance each drives [F]."""
        own = (s.node, self._driving(shield))
        return (own,) if s.boost is None else (own, (s.boost, self._driving(0.0)))

    def _driving(self, shield: float) -> float:
        """Capacitance [F] a node drives with that share of the winding's."""
        return max(shield * self.winding + self.sink, 1e-15)

    @cached_property
    def _nodes(self) -> tuple[Lines, Array]:
        """Lines of all nodes at all corners over their limit, and which of them are the power stage's."""
        nodes = [(x, x is s.node) for s in self.found for x in (s.node, s.boost) if x is not None]
        return _against([x for x, _ in nodes]), np.concatenate([np.full(len(x.f), own) for x, own in nodes])

    @cached_property
    def _between(self) -> Lines:
        """Lines between the conductors at all corners over their limit."""
        return _against([s.differential for s in self.found])

    def differential(self, l_dm: Any, filtered: bool = True) -> Array:
        """Most by which differential noise passes the limit [dB]; l_dm like l_cm of common noise."""
        lines = self._between
        return _most(noise.differential(lines.f, lines.volts, l_dm, self.c_x if filtered else 0.0, self.stages))


def _against(parts: list[Lines]) -> Lines:
    """Lines together, their volts over what the limit allows."""
    f = np.concatenate([x.f for x in parts])
    return Lines(f, np.concatenate([x.volts for x in parts]) * (1e6 * 10 ** (-conducted_limit(f) / 20)))


def _most(ratio: Array) -> Array:
    """The greatest of ratios along the last axis [dB]; far below any limit where there is no line in its band."""
    return np.asarray(20 * np.log10(np.max(ratio, axis=-1, initial=1e-12)))


def bench_of(design: Any, corners: tuple[Corner, ...]) -> Bench:
    """The bench of a design whose Y capacitors and stray capacitances stand."""
    rows, front = design.rows, FRONT_ENDS[design.front_end]
    number = lambda id: float(rows[id].value)  # noqa: E731
    made = Bench(tuple(sources(design, front, c) for c in corners),
                 float(noise.driven(1.0, number("inlet.balance_leaves"), number("inlet.c_interwinding"))), number("inlet.c_sink"), 0.0, 0.0)
    return made.with_filter(rows)


def record(work: Work, design: Any, front: ModuleType) -> float:
    """Rows of the filter; the copper of its chokes [Ω] where the line has to be solved with more than it was, else 0. design: all that was
    sized before it."""
    sheet, choose, need = work.sheet, work.choose, work.need
    if hasattr(front, "switching"):
        choose("inlet.c_in", 470e-9 if need.power < 300 else 1e-6,
               "usual value for this power (common practice): it carries the ripple, and bends the line current at light load")
    margin = float(choose("inlet.noise_margin", 6.0, "an estimate against a measurement (common practice)").value)
    sheet.given("inlet.noise_limit", -margin, "dB", "rule", f"{NOISE_EDITION}, less the margin")
    c_w, balanced = _interwinding(work, design), getattr(TOPOLOGIES[design.topology], "BALANCED", False)
    _y_capacitors(work, c_w)
    sink = choose("inlet.c_sink", 5e-12, "a compact node on the board, heat sink tied to the bus (common practice)")
    swing = sheet.given("inlet.balance_leaves", BALANCED_LEAVES if balanced else 1.0, "", "rule",
                        "both ends of the primary swing against each other: what is uneven between them (common practice)" if balanced
                        else "one end of the primary rests")
    bench = bench_of(design, corners_of(design))
    tried, small = E6[(E6 >= CM_LEAST) & (E6 <= CM_MOST)], E6[E6 <= DM_MOST]
    could = _shieldable(design)
    shield = _shield(work, _shields(design), could)
    share = sheet.given("inlet.shield_leaves", SHIELD_LEAVES if shield.value == "shield" else 1.0, "", "rule",
                        "share of the winding's capacitance that a shield leaves (common practice)" if shield.value == "shield"
                        else "no shield")
    stray = sheet("inlet.c_stray", noise.driven, shielded=share, balanced=swing, c_winding=c_w)
    leaves = float(share.value)
    swept: dict[tuple[int, float], Array] = {}

    def common(at: Bench, shield: float = leaves) -> Array:
        """Common noise over the limit with every choke tried, each stage count and shield worked out once."""
        if (at.stages, shield) not in swept:
            swept[at.stages, shield] = at.common(tried[:, None], shield=shield)
        return swept[at.stages, shield]
    bare = {"cm": float(bench.common(0.0, False, leaves)), "dm": float(bench.differential(0.0, False))}
    text = "harmonics of the sized waveforms into the artificial mains network, worst of both ends of the mains at full load"
    sheet.solved("inlet.noise_cm_bare", bare["cm"], "dB", text, stray=stray, sink=sink)
    sheet.solved("inlet.noise_dm_bare", bare["dm"], "dB", text)
    choose("inlet.stages", lambda: _stages(bench, tried, common(bench) <= -margin, small, leaves, -margin, partial(chokes.windable, work)))
    bench = bench.with_filter(sheet.rows)
    l_cm = choose("inlet.l_cm", lambda: _least(tried, common(bench), bare["cm"], float(bench.common(0.0, shield=leaves)), -margin))
    leak = noise.LEAK * float(l_cm.value)
    l_dm = choose("inlet.l_dm",
                  lambda: _least(small, bench.differential(small[:, None] + leak), bare["dm"], float(bench.differential(leak)), -margin))
    text = f"the same behind the filter: {noise.ESL * 1e9:g} nH in each capacitor, {noise.WOUND_C * 1e12:g} pF across each choke"
    sheet.solved("inlet.noise_cm", float(bench.common(float(l_cm.value), shield=leaves)), "dB", text, l_cm=l_cm, stray=stray, sink=sink)
    sheet.solved("inlet.noise_dm", float(bench.differential(float(l_dm.value) + leak)), "dB",
                 f"{text}; {noise.LEAK * 100:g} % of the common-mode choke leaks and helps", l_dm=l_dm, l_cm=l_cm)
    wound_to = chokes.record(work, could and shield.value == "none")
    spared = "" if shield.value == "shield" or not could else _spared(tried, common(bench, SHIELD_LEAVES) <= -margin, float(l_cm.value))
    _tell(work, bare, bench.stages, float(l_cm.value), float(l_dm.value), shield.value == "shield", spared)
    return wound_to


def _shield(work: Work, wound: bool, could: bool) -> Any:
    """Whether the filter counts on a shield between the windings. wound: the arrangement has one; could: it might have."""
    shield = work.choose("inlet.shield",
                         lambda: ("shield", "the arrangement of the transformer has them", ()) if wound
                         else ("none", "the arrangement of the transformer has none", ()))
    if shield.value == "shield" and not wound and could:
        work.find(LOOK_AT, "inlet", "the filter counts on a shield between the windings that this arrangement does not have: the "
                  "arrangement shielded winds one, a shield of none takes larger chokes", "inlet.noise_cm",
                  "transformer.arrangement: shielded")
    return shield


def _tell(work: Work, bare: dict[str, float], stages: int, l_cm: float, l_dm: float, shielded: bool, spared: str) -> None:
    """What the estimate amounts to, in a sentence. bare: noise over the limit without a filter [dB]; spared: what a shield would."""
    each, between = (" each", "two stages with chokes") if stages > 1 else ("", "chokes")
    lines = f" and {show(l_dm, 'H')}{each}" if l_dm > 0 else f"{each}, none between the lines"
    work.find(NOTE, "inlet",
              f"estimate of the mains filter: {show(bare['cm'], 'dB')} of common and {show(bare['dm'], 'dB')} of differential noise over "
              f"the limit without it; {between} of {show(l_cm, 'H')}{lines}{', a shield between the windings' if shielded else ''}. "
              f"{spared}Only a measurement decides", "inlet.noise_cm", "transformer.arrangement: shielded" if spared else "")


def _spared(tried: Array, able: Array, l_cm: float) -> str:
    """What a shield between the windings would spare of the common-mode choke; nothing where the choke is as small without."""
    least = float(tried[int(np.argmax(able))]) if able.any() else np.inf
    return (f"With a shield between the windings (arrangement shielded) {show(least, 'H')} instead of {show(l_cm, 'H')} of common-mode "
            "choke would do. " if least < l_cm else "")


def _stages(bench: Bench, tried: Array, able: Array, small: Array, shield: float, limit: float,
            windable: Callable[[float, bool], bool]) -> tuple[str, str, tuple[str, ...]]:
    """One stage, unless none of its chokes keeps the margin, can be wound, or the differential one would be large. able: of the common-mode
    chokes tried, which keep it in one stage; windable: whether a common-mode choke can be, where it is alone or not."""
    asked = float(bench.common(0.0, shield=shield)) > limit
    if asked and not able.any():
        return TWO, "no choke of one stage keeps the margin of common noise", ()
    l_cm = float(tried[int(np.argmax(able))]) if able.any() else 0.0
    leak = noise.LEAK * l_cm
    alone = float(bench.differential(leak)) <= limit
    if asked and not windable(l_cm, alone):
        return TWO, f"no ring takes the {show(l_cm, 'H')} of common-mode choke that one stage asks for within the copper admitted", ()
    over = bench.differential(small[:, None] + leak) <= limit
    least = float(small[int(np.argmax(over))]) if over.any() else np.inf
    if not alone and least > DM_ONE:
        return (TWO, f"one stage would ask for {'more than ' if not over.any() else ''}{show(float(min(least, DM_MOST)), 'H')} between the "
                "lines, a large ring", ())
    return ONE, "one stage keeps the margin with chokes of usual size", ()


def _least(values: Array, left: Array, bare: float, without: float, limit: float) -> tuple[float, str, tuple[str, ...]]:
    """The smallest choke that keeps the margin, with what it has to take away."""
    text = f"{show(bare, 'dB')} over the limit without filter, {show(without, 'dB')} with the capacitors alone"
    if without <= limit:
        return 0.0, f"{text}: no choke is asked", ()
    able = np.flatnonzero(left <= limit)
    if not len(able):
        k = int(np.argmin(left))
        return (float(values[k]),
                f"{text}; no single choke keeps the margin, this one comes nearest: a shield, less capacitance or another stage is needed",
                ())
    k = int(able[0])
    return (float(values[k]), f"{text}; smallest that keeps the margin",
            tuple(f"{show(float(values[i]), 'H')}: {show(float(left[i]), 'dB')}" for i in range(k - 1, max(k - 4, -1), -1)))


def _y_capacitors(work: Work, c_w: Any) -> None:
    """The Y capacitors, as large as the touch current lets them be beside what the windings pass, and how many of them share the common
    current."""
    sheet, need = work.sheet, work.need
    count = 1 if need.protection_class == "II" else 3 if need.mains.kind == "ac3" else 2
    most = float(np.min(sheet.rows["inlet.c_y_max"].value))
    left = max(0.95 * most - float(c_w.value), 0.0) / count
    c_y = work.choose("inlet.c_y", lambda: at_most(min(left, Y_MOST), "E6") if left > Y_LEAST else 0.0,
                      f"largest usual value within the touch current that {show(float(c_w.value), 'F', 3)} between the windings leave; "
                      f"{count} {'from primary to secondary' if count == 1 else 'to earth'}")
    number = sheet.given("inlet.y_count", count, "", "rule",
                         "from primary to secondary: there is no earth" if count == 1 else "one from each line to earth")
    sheet("inlet.i_touch_y", noise.touch_current, frequency=sheet.rows["line.f"],
          v_line=sheet.rows.get("line.v_phase", sheet.rows["line.v"]), count=number, c_y=c_y, c_winding=c_w)


def _shields(design: Any) -> bool:
    """Whether the transformer is wound with shields at every face."""
    plan = design.context["plan"]
    return hasattr(plan, "choice") and arrangement.shielded(plan.need.stack, [w.name for w in plan.need.windings])


def _shieldable(design: Any) -> bool:
    """Whether there is a transformer whose sides lie over one another, so that a foil can part them."""
    plan = design.context["plan"]
    return hasattr(plan, "choice") and plan.need.wall is None


def _interwinding(work: Work, design: Any) -> Any:
    """Capacitance between primary and secondary from the winding as laid."""
    sheet, plan = work.sheet, design.context["plan"]
    if not hasattr(plan, "choice"):
        return sheet.given("inlet.c_interwinding", 0.0, "F", "rule", "no transformer: nothing crosses a barrier")
    id = "inlet.c_interwinding"
    one = sheet(id if plan.need.pieces == 1 else f"{id}_each", noise.interwinding,
                **facing(plan.need, plan.choice.trial, (plan.choice.core, plan.choice.candidate), plan.window))
    return pieces.of_all(sheet, plan.need, id, magnetics.capacitance_of_all, one)
