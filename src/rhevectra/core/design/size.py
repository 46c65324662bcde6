"""`size()`: requirement and decisions in, one Design out. Pure: no file, no clock, no random number."""

from collections.abc import Callable, Collection, Mapping, Sequence
from types import ModuleType
from typing import Any, TypeVar, cast

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import LOADED, Grid
from rhevectra.core.basis.decisions import Decisions, DecisionSpec, Measured
from rhevectra.core.basis.errors import InputError, nearest
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX
from rhevectra.core.basis.quantities import in_percent, show, told_apart
from rhevectra.core.basis.remembered import Kept, bits
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.basis.sheet import Row, Sheet
from rhevectra.core.catalogue.tables import Catalogue, shipped
from rhevectra.core.design import mean_efficiency, regulators, weighted
from rhevectra.core.design.cures import COMMON, SHAPE, Cures, cure_of
from rhevectra.core.design.declared import decision_specs, figure_specs
from rhevectra.core.design.design import Design, exceeded, judge
from rhevectra.core.design.grid import make_grid
from rhevectra.core.emission import declare as emission
from rhevectra.core.emission import input_capacitors
from rhevectra.core.emission import record as filtering
from rhevectra.core.formulas import output
from rhevectra.core.stages import (
    DC_FRONT_END,
    air,
    brown,
    clamps_for,
    clamps_refused,
    front_ends_for,
    gates,
    pulse_duty,
    sinks,
    stored,
    strings,
)
from rhevectra.core.stages.work import FigureSpec, Work
from rhevectra.core.topologies import TOPOLOGIES, usual_topology
from rhevectra.core.topologies.common import barrier


def check_pins(pins: Mapping[str, Any], specs: Mapping[str, DecisionSpec],
               catalogue: Catalogue) -> tuple[dict[str, Any], list[tuple[str, str]]]:
    """Pins in their own types, and the ids that are not known with the nearest known name. Raises InputError."""
    good, unknown = {}, []
    for id, value in pins.items():
        if id not in specs:
            near = nearest(id, specs)
            unknown.append((id, near[0] if near else ""))
            continue
        good[id] = specs[id].check(value, catalogue[specs[id].table].names if specs[id].table else ())
    return good, unknown


def usual_front_end(need: Requirement) -> tuple[str, str]:
    """The front end where nobody chose one, and why: the first that calls itself usual for the requirement."""
    return next(((name, why) for name, front in front_ends_for(need.mains.kind).items() if (why := front.usual(need))),
                (DC_FRONT_END.NAME, "a dc source feeds the stage directly"))


class Learnt(Struct, frozen=True):
    """What a pass over a design has learnt that the next has to know. wound: what the chokes of the mains filter come to [Ω] where no ring
    keeps them to the usual; known: what linear regulators are to be planned for, by number of the output; times: how often that was
    done."""

    wound: float = 0.0
    known: Mapping[int, regulators.Known] = {}
    times: int = 0


def size(need: Requirement, pins: Mapping[str, Any] | None = None, as_built: Mapping[str, Measured] | None = None,
         catalogue: Catalogue | None = None, noise: bool = True, loop: bool = True, learnt: "Learnt | None" = None) -> Design:
    """Design the supply at every corner.

    pins: decision id -> value (SI); as_built: figure id -> reading; noise: whether the mains filter is worked out too; loop: whether the
    loop is worked out where no requirement asks for it; learnt: by an earlier pass. Raises InputError where a pin cannot be used. A
    requirement that cannot be met gives a Design with `must fix` findings, never an exception.
    """
    learnt = learnt or Learnt()
    parts, pins = catalogue or shipped(), pins or {}
    topology, front, clamp, why = _modules(need, pins)
    asked = need.regulated_first()  # output 1 of every design, wherever it stands in the requirement
    specs = decision_specs(topology, front, clamp)
    good, unknown = check_pins(pins, specs, parts)
    measured = dict(as_built or {})
    sheet = Sheet(measured)
    work = Work(asked, make_grid(asked, front), parts, sheet, Decisions(specs, good, sheet), wound=learnt.wound, loop=loop)
    _shape_rows(work, topology, front, clamp, why)
    _before_regulators(work, front, learnt.known)
    front_plan, plan, power, near = _settle(work, topology, front, clamp)
    solution, power, ripple, plan = _agreed(work, topology, front, (front_plan, plan, power, near))
    front_rows = front.record(work, front_plan, solution, power, ripple)
    rows = topology.record(work, plan, front_rows["v_bus"], front_rows, clamp)
    all_specs = figure_specs(topology, front, clamp, asked, work.need)
    draft = Design(requirement=asked, delivered=work.need, topology=topology.NAME, front_end=front.NAME, clamp=clamp.NAME,
                   grid=work.grid, rows=sheet.rows, specs=all_specs, decision_specs=specs, pins=dict(pins), as_built=measured, findings=(),
                   plates=(*front.PLATES, *topology.PLATES, *clamp.PLATES, *topology.AFTER_CLAMP), losses=rows["losses"], catalogue=parts,
                   context={"plan": plan, "o": rows["o"], "stage": rows["stage"], "bulk": solution, "front": front_plan,
                            "source": front_rows.get("source"), "shared": rows.get("shared", []), "loop": rows.get("loop")})
    weighted.record(work, all_specs)
    more, given = regulators.record(work, asked)
    rows["losses"] |= _beside(work, draft, ripple) | more
    _whole(work, asked, rows["losses"], given)
    placed = sinks.record(work)
    topology.findings(work, plan)
    if planned := regulators.replanned(work, all_specs, learnt.times):
        made = size(need, pins, as_built, catalogue, noise, loop, replace(learnt, known=planned, times=learnt.times + 1))
        if made.feasible or regulators.missed(work, all_specs):
            return made
        learnt = replace(learnt, times=regulators.TIMES)
    if noise and emission.applies(front) and (wound := filtering.record(work, draft, front)) and not learnt.wound:
        return size(need, pins, as_built, catalogue, noise, loop, replace(learnt, wound=wound))
    unasked = _unasked(work)
    cures = {**COMMON, **front.CURES, **emission.CURES, **topology.CURES, **clamp.CURES}
    _general_findings(work, all_specs, cures, unknown, unasked, measured, parts)
    return replace(draft, findings=tuple(work.findings), unasked=unasked, context={**draft.context, "placed": placed})


def _before_regulators(work: Work, front: ModuleType, known: Mapping[int, regulators.Known]) -> None:
    """Of a design with several outputs: what its power stage has to give where regulators stand behind it."""
    asked = work.need
    if len(asked.outputs) > 1:
        work.need, own = regulators.ask(work, known)
        if any(own):
            work.grid = make_grid(asked, front, own)


def _unasked(work: Work) -> dict[str, Row]:
    """Rows of the pins that nothing asked for."""
    beside = Sheet()
    choose = Decisions(work.choose.specs, work.choose.pins, beside)
    for id in work.choose.pins:
        if id not in work.sheet.rows:
            choose(id, None)
    return beside.rows


def _modules(need: Requirement, pins: Mapping[str, Any]) -> tuple[ModuleType, ModuleType, ModuleType, str]:
    """Topology, front end and clamp modules, by pin or default (InputError for a name that does not exist), and why that topology is the
    default."""
    def pick(id: str, table: Mapping[str, ModuleType], default: str, why: Mapping[str, str]) -> ModuleType:
        name = pins.get(id, default)
        if not isinstance(name, str) or name not in table:
            raise InputError(f"decisions.{id}",
                             f"{name!r} is not available" + (f" with {topology.NAME}: {why[name]}" if name in why else ""),
                             ", ".join(table))
        return table[name]
    front = DC_FRONT_END if need.is_dc else pick("front_end", front_ends_for(need.mains.kind), usual_front_end(need)[0], {})
    usual, why = _topology_for(need, pins, front)
    topology = pick("topology", TOPOLOGIES, usual, {})
    return topology, front, pick("clamp.kind", clamps_for(topology), _usual_clamp(need, topology, pins)[0], clamps_refused(topology)), why


def _usual_clamp(need: Requirement, topology: ModuleType, pins: Mapping[str, Any]) -> tuple[str, str]:
    """The clamp where nobody chose one, and why: the first that goes with the topology, or where little is admitted at no load and nothing
    was decided for that one, the first that then burns nothing."""
    fitting, admitted = clamps_for(topology), need.standby_power_max
    first = next(iter(fitting))
    decided = any(s.id in pins for s in fitting[first].DECISIONS)
    if topology.NEEDS_CLAMP and admitted is not None and admitted < AT_REST * need.power and not decided:
        resting = next((name for name, clamp in fitting.items() if clamp.RESTS), first)
        return (resting, f"burns nothing at no load, where the usual one burns one to three per cent of full power; {show(admitted, 'W')} "
                "are admitted")
    return first, "the usual first choice; the picture Kinds compares all"


def _shape_rows(work: Work, topology: ModuleType, front: ModuleType, clamp: ModuleType, why: str) -> None:
    for id, module, usual in (("topology", topology, why), ("front_end", front, usual_front_end(work.need)[1]),
                              ("clamp.kind", clamp, _usual_clamp(work.need, topology, work.choose.pins)[1])):
        if id in work.choose.specs:
            work.choose(id, module.NAME, usual if len(work.choose.specs[id].options) > 1 else "the only one that goes with the others here")


def _topology_for(need: Requirement, pins: Mapping[str, Any], front: ModuleType) -> tuple[str, str]:
    """The topology where nobody chose one, and why: the usual one, unless another knows more of the decisions that were made; they were
    made for it, and a load that grows must not lose them."""
    name, why = usual_topology(need, front.SHAPES_CURRENT)
    made = [id for id in pins if id not in ("topology", "front_end")]
    if "topology" in pins or not made or _known(name, made, pins, front) == len(made):
        return name, why
    best = max((name, *TOPOLOGIES), key=lambda n: _known(n, made, pins, front))
    return (name, why) if best == name else (best, "the decisions that were made belong to it; the Contest compares all")


def _known(name: str, made: Sequence[str], pins: Mapping[str, Any], front: ModuleType) -> int:
    """How many of the decisions a topology knows, with the clamp among them where it takes that."""
    topology, kind = TOPOLOGIES[name], pins.get("clamp.kind")
    fitting = clamps_for(topology)
    fits = isinstance(kind, str) and kind in fitting
    specs = decision_specs(topology, front, fitting[str(kind)] if fits else next(iter(fitting.values())))
    return sum(id in specs and (id != "clamp.kind" or fits) for id in made)


def expected_power(need: Requirement, out: Any) -> Any:
    """Input power [W] before anything is designed: small supplies waste a larger share (common practice, no source)."""
    lowest = max(need.outputs, key=lambda o: o.current_max).magnitude
    return out / (0.87 - 0.10 * np.exp(-np.max(out) / 12.0)) * (lowest + 0.6) / (lowest + 0.2) + 0.2


def _settle(work: Work, topology: ModuleType, front: ModuleType, clamp: ModuleType) -> tuple[Any, Any, Any, Any]:
    """Bulk from the power expected, parts from that bus, then the power really drawn (line-cycle mean of valley and crest); where that or
    its ripple is more, the front end once more for it."""
    need, grid = work.need, work.grid
    power = expected_power(need, sum(o.magnitude * grid.current(k) for k, o in enumerate(need.outputs)))
    asked = (float(np.max(power)),
             topology.BUS_RIPPLE * float(np.max(power))
             / (need.mains.v_min * (1.0 if need.is_dc or front.SHAPES_CURRENT else PLAIN_LOWEST)))
    front_plan, (v_bus, near) = _front_end(work, topology, front, clamp, power, asked)
    plan, drawn, ripple = _stage(work, topology, clamp, v_bus)
    drawn = _over_the_line(grid, drawn)
    most = MOST_DRAWN * float(np.max(power))
    real = (float(np.max(drawn)),
            float(np.max(np.where(LOADED.mask(grid), ripple, 0.0)))
            * (float(np.min(v_bus)) / need.mains.v_min if front.SHAPES_CURRENT else 1.0))
    if real[0] < most and any(r > a for r, a in zip(real, asked, strict=True)):
        front_plan, (_, near) = _front_end(work, topology, front, clamp, power,
                                           tuple(max(_stepped(r), a) for r, a in zip(real, asked, strict=True)))
    if bool(np.any(drawn <= 0)):
        work.find(MUST_FIX, "load",
                  f"at some corner the stage has no period that draws power; the bus is shown there as if it drew {show(most, 'W')}",
                  "loss.total", "")
        drawn = np.where(drawn > 0, drawn, most)
    if bool(np.any(drawn > most)):
        work.find(MUST_FIX, "load", f"the stage would draw {show(float(drawn.max()), 'W')} for {show(need.power, 'W')} of output; the bus "
                  f"is shown as if it drew {show(most, 'W')}", "loss.total", "")
    return front_plan, plan, np.minimum(drawn, most), near


def _over_the_line(grid: Grid, drawn: Any) -> Any:
    """Mean over the line cycle of a power drawn at valley and crest [W]; at the current limit that of full load."""
    full = grid.full_load
    return np.where(grid.where(lambda p: p.case == "limit"), drawn[:, :, full : full + 1, :], drawn).mean(-1, keepdims=True)


def _agreed(work: Work, topology: ModuleType, front: ModuleType, settled: tuple[Any, Any, Any, Any]) -> tuple[Any, Any, Any, Any]:
    """The front end's solution, the power drawn from it [W], the ripple current [A] and the power stage at that bus; once more where the
    stage draws otherwise than the bus was worked out for."""
    front_plan, plan, power, near = settled

    def once(power: Any, near: Any, plan: Any) -> tuple[Any, Any, Any, Any]:
        v_bus, near = front.bus(front_plan, work.grid, power, near)
        drawn, ripple, plan = topology.power_drawn(work, plan, v_bus, SETTLED)
        real = _over_the_line(work.grid, drawn)
        return near, np.where(np.abs(real - power) < ASTRAY * power, real, power), ripple, plan
    near, real, ripple, plan = once(power, near, plan)
    if float(np.max(np.abs(real - power))) > AGREED * float(np.max(power)):
        power = real
        near, _, ripple, plan = once(power, near, plan)
    return near, power, ripple, plan


T = TypeVar("T")
_PARTS = Kept(64)
"""Front ends and power stages of a whole contest: it comes back to each of its topologies with another front end."""
SHARED = ("derating.", air.ID)
"""What decisions begin with that front ends read though topologies list them."""
READ_OF_FRONT_END = "bulk.v_min_stage"
"""The one row of a front end that the building of a power stage looks at, beside the bus itself."""


def _kept(work: Work, key: Any, own: Callable[[str], bool], make: Callable[[], T]) -> T:
    """What `make` gives, with all it records and finds: now, or as before where requirement, loads, catalogue, readings, its own pins and
    the key are the same."""
    pins = tuple(sorted((id, value) for id, value in work.choose.pins.items() if own(id)))
    before = work.mark()
    made, (rows, found) = _PARTS.ask_of(work.parts, (key, bits(work.need), work.grid.points, pins, tuple(work.sheet.measured.items())),
                                        lambda: (make(), work.since(before)))
    work.back(before)
    work.sheet.rows |= rows
    work.findings += found
    return cast(T, made)


def _stepped(value: float) -> float:
    """The next of values a fiftieth apart: designs that differ by little ask their front end for the same."""
    return float(1.02 ** np.ceil(np.log(max(value, 1e-6)) / np.log(1.02)))


def _front_end(work: Work, topology: ModuleType, front: ModuleType, clamp: ModuleType, power: Any,
               asked: tuple[float, ...]) -> tuple[Any, tuple[Any, Any]]:
    """The parts of the front end for a power [W] and a ripple current [A], and its bus for the power expected [W]. No decision of topology
    or clamp but deratings touches them: they are kept for the next design."""
    apart = {*SHAPE, *(s.id for s in (*topology.DECISIONS, *clamp.DECISIONS) if not s.id.startswith(SHARED))}

    def make() -> tuple[Any, tuple[Any, Any]]:
        plan = front.plan(work, *asked)
        return plan, front.bus(plan, work.grid, power)
    return _kept(work, (front.NAME, asked, work.wound), lambda id: id not in apart, make)


def _stage(work: Work, topology: ModuleType, clamp: ModuleType, v_bus: Any) -> tuple[Any, Any, Any]:
    """The power stage for a bus [V], and roughly the power it then draws [W] and its ripple current [A]. It sees nothing of the front end
    but the bus and one row: kept for the next design whose bus is the same."""
    own, grid, read = {s.id for s in (*topology.DECISIONS, *clamp.DECISIONS)}, work.grid, work.sheet.rows.get(READ_OF_FRONT_END)

    def make() -> tuple[Any, Any, Any]:
        plan = topology.build(work, v_bus, clamp)
        drawn, ripple, plan = topology.power_drawn(work, plan, v_bus, ROUGH)
        return plan, drawn, ripple
    return _kept(work,
                 (topology.NAME, clamp.NAME, bits(v_bus), grid.lines, grid.freqs, grid.bus, *grid.special.items(), read and read.value),
                 own.__contains__, make)


def _beside(work: Work, draft: Design, ripple: Any) -> dict[str, Row]:
    """What is sized once the power stage stands, and the losses of it. draft: all that was sized before; ripple: what the stage takes in a
    period less its average, rms [A]."""
    topology = TOPOLOGIES[draft.topology]
    parts = topology.bill(draft)
    gates.record(work, draft.context["stage"], parts["switches"][0][1], parts["floating_drives"],
                 getattr(topology, "FLOATING", gates.BOOTSTRAP))
    if shaping := getattr(draft.context["front"], "switch", None):
        gates.edge(work, "pfc.gate_", shaping)
    pulse_duty.record(work)
    stored.record(work)
    losses = brown.record(work)
    strings.record(work)
    barrier.judge(work)
    return losses | input_capacitors.record(work, draft, ripple) if work.need.is_dc else losses


def _whole(work: Work, need: Requirement, losses: dict[str, Row], given: dict[str, Row]) -> None:
    """Totals: output, loss, efficiency, standby. need: what is asked for; given: what comes out of regulators."""
    sheet, grid, outs = work.sheet, work.grid, dict(given)
    for n, o in enumerate(need.outputs, 1):
        if f"output{n}" in given:
            continue
        v = sheet.rows.get(f"output{n}.v") or sheet.rows.get(f"load.v{n}") or sheet.given(f"load.v{n}", o.magnitude, "V")
        outs[f"output{n}"] = sheet(f"load.p{n}", output.output_power, v=v,
                                   i=sheet.given(f"load.current{n}", grid.current(n - 1), "A", text=f"load of {o.name}"))
    p_out = sheet.total("load.power", "W", "all outputs", **outs)
    total = sheet.total("loss.total", "W", "every listed loss", **losses)
    eta = sheet("efficiency", output.efficiency, p_out=p_out, p_loss=total)
    sheet.again("efficiency_light", eta)
    mean_efficiency.record(work, p_out, total)
    sheet.given("efficiency.target", need.efficiency_wanted, "",
                text="requirement" if need.efficiency_target is not None
                else f"usual at {show(need.power, 'W')}, as the requirement asks for none")
    sheet.total("standby.power", "W", "loss at no load: start-up path, discharge resistor, clamp floor, controller, switching", loss=total)
    if need.standby_power_max is not None:
        sheet.given("standby.limit", need.standby_power_max, "W", text="requirement")


AT_REST = 0.03
"""Share of full power below which no-load power that is admitted asks for a clamp that burns nothing then (common practice, no source)."""
ROUGH, SETTLED = 3e-2, 1e-4
"""Largest change of the last pass: for the power that sets the bus, and for the figures."""
AGREED, ASTRAY = 5e-3, 0.2
"""Share of the greatest power by which a stage may miss what its bus was worked out for; and of its own beyond which it is not followed,
for that is no design."""
PLAIN_LOWEST = 1.1
"""Valley of a plain bridge over the rms of the lowest line, at the usual share of the crest: for the ripple current expected. A stage that
holds its bus scales it by itself."""
MOST_DRAWN = 1.5
"""A stage that draws more than this times the greatest power expected is no design; its bus is not followed further."""


def _general_findings(work: Work, specs: Mapping[str, FigureSpec], cures: Cures, unknown: list[tuple[str, str]],
                      unasked: Collection[str], measured: Mapping[str, Measured], parts: Catalogue) -> None:
    """A finding for every figure over or tight at its limit, for decisions that are unknown or not asked for, readings and clashes."""
    rows = work.sheet.rows
    for id, spec in specs.items():
        if not exceeded(spec, rows, work.grid):
            continue
        figure = judge(spec, rows, work.grid)
        severity = LOOK_AT if spec.look_only else MUST_FIX
        where = f" at {figure.corner.text()}" if figure.corner else ""
        side = "above" if figure.limit_kind == "max" else "below"
        cure, what = cure_of(figure, work, cures)
        scale, unit = (100.0, "%") if in_percent(id, figure.unit) else (1.0, figure.unit)
        value, limit = told_apart(scale * figure.value, scale * (figure.limit or 0.0), unit)
        label = f"{spec.label}: {value} is {side} {limit}{where}"
        work.find(severity, spec.stage, f"{label}; {what}", id, cure)
    regulators.advise(work, specs)
    for id, near in unknown:
        work.find(LOOK_AT, "load", f"decision {id!r} is not known and has no effect" + (f"; nearest: {near}" if near else ""), "", "")
    for id in measured:
        if id not in rows:
            work.find(LOOK_AT, "load", f"reading {id!r} belongs to no figure of this design and has no effect")
        elif id in work.choose.pins and abs(float(work.choose.pins[id]) / measured[id].value - 1) > 1e-6:
            work.find(LOOK_AT, specs[id].stage if id in specs else "load",
                      f"{id}: the pin {show(float(work.choose.pins[id]))} differs from the reading {show(measured[id].value)}; the reading "
                      "wins", id, id)
    for id in unasked:
        work.find(LOOK_AT, work.choose.specs[id].stage,
                  f"{work.choose.specs[id].label}: pinned, and nothing here asks for it: it has no effect as the design stands", "", id)
    for name in parts.clashes:
        work.find(LOOK_AT, "load", f"part {name!r}: an own row replaces a shipped one with other data")
