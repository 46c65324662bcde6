"""How the outputs of a flyback share its current: leakage and resistance hold them apart, at every corner at once."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array, Corner, Grid
from rhevectra.core.basis.findings import LOOK_AT, MUST_FIX
from rhevectra.core.basis.requirement import Output
from rhevectra.core.basis.sheet import plain
from rhevectra.core.formulas import sharing
from rhevectra.core.magnetics.leakage import Leakage
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.flyback import period as pd
from rhevectra.core.topologies.flyback import turned

STEPS, EARLY = (8, 12, 8, 4), 0.25
"""Steps while the leakage empties, while the core does (its early share by itself: there a lightly loaded output has its pulse), and while
the current goes back."""
WINDOW, WINDOW_STEPS = 8, 4
"""Pieces, and steps of each, of a pulse whose leakage current turns round in the clamp."""
LEAST_PULSE, LATEST = 1e-3, 0.5
"""Where the clamp takes nearly all of the core, at idle: of what the core holds the outputs take at least this share at a time, most in the
middle of the pulse."""
OFF = 0.03
"""Share of its load by which an output may be off before its figures are not to be used."""
LEAST_LOAD = 0.05
"""Load [share of its current] below which an output lives on the spike of the leakage alone: its bleed is worked out from there (common
practice, no source)."""
LIFTS = (0.6, 2.0)
"""What is believed of a lift; beyond it no turns help."""
ROOM = 0.02
"""Share of its voltage by which the rule keeps an output inside its tolerance (common practice, no source)."""


class Outputs(Struct, frozen=True):
    """For each output in the order of the windings, over the grid: peak and rms [A] and voltage without its drop [V]; voltage with its drop
    over the regulated one's by their turns (lift); what it takes from the core for its charge over what that is at the reflected voltage
    (takes); its load [A], and what it takes more for every volt it stands lower [A/V]; miss: greatest share of a load that was not met."""

    peak: list[Array]
    rms: list[Array]
    voltage: list[Array]
    lift: list[Array]
    takes: list[Array]
    load: list[Array]
    yields: list[Array]
    miss: float


class Reach(Struct, frozen=True):
    """How far an output that no loop holds moves: least and greatest lift; at the greatest its current [A], and how much more it takes for
    every volt lower [A/V]; its turns over the regulated one's; voltage of that winding, and drop of the rectifier [V]."""

    low: float
    high: float
    current: float
    yields: float
    turns: float
    main: float
    forward: float

    def volts(self, lift: float, turns: float) -> float:
        """The output [V] at a lift with so many turns over the regulated one's."""
        return lift * self.main * turns - self.forward

    def aim(self, out: Output) -> float:
        """Voltage the winding is to have at no lift [V]: in the middle of the tolerance where its range fits in, else no lower than the
        least lift allows, and a bleed takes the rest."""
        least, most = (out.magnitude * (1 + sign * (out.tolerance - ROOM)) + self.forward for sign in (-1, 1))
        return float(np.sqrt(least * most / (self.low * self.high)) if most / least > self.high / self.low else least / self.low)

    def bleed(self, out: Output, turns: float) -> float:
        """Current [A] beside the least load that keeps the output below its greatest voltage with so many turns over the regulated one's:
        the charge of a short pulse goes with the square of the voltage left for it."""
        over = self.volts(self.high, turns) - out.magnitude * (1 + out.tolerance - ROOM)
        return max(0.0, self.current * max(1 + self.yields * over * self.turns / turns / (2 * self.current), 0.0) ** 2 - out.current_min)


def apart(matrix: Leakage, leakage: float) -> Array:
    """Leakage between the primary and the other windings [H] (outputs in the order of the windings, then the auxiliary one), seen from the
    primary: as laid, and as much more as the leakage in use is more than that of the stack."""
    others = list(range(1, len(matrix.turns)))
    return matrix.apart(0, others) * leakage / matrix.shorted(0, others[:-1])[0]


def ring_shares(s: pd.Stage) -> list[float]:
    """What each output takes of a current that all have to take, so that the field between them changes least; never less than nothing."""
    alike = np.linalg.solve(s.extra["apart"][:-1, :-1], np.ones(len(s.ns) - 1))
    return [max(float(x), 0.0) for x in alike / alike.sum()]


def spike(s: pd.Stage, o: Mapping[str, Any], line: Any) -> Array:
    """What drives the current of the leakage into the outputs [V]: the node's clamp over the reflected voltage, never more than the leakage
    can lift the node."""
    return np.minimum(line(o["crest" if "crest" in o else "v_node"]) - line(o["v_or"]),
                      line(o["i_one"]) * np.sqrt(line(s.leakage) / line(s.c_node)))


def _pulse(s: pd.Stage, o: Mapping[str, Any], line: Any) -> tuple[Array, Array, tuple[int, ...]]:
    """The current of all secondaries at the ends of the pieces of the pulse [A], their lengths [s] and steps."""
    if "ring_cosine" in o:
        inside = np.linspace(0.0, 1.0, WINDOW + 1)[:, None] * np.maximum(line(o["t_clamp"]), 1e-9)
        core = line(o["i_one"]) + (line(o["i_end"]) - line(o["i_one"])) * np.minimum(inside / np.maximum(line(o["t_off"]), 1e-12), 1.0)
        current = np.maximum(core - turned.ring_current(o, line, inside), 0.0)
        back, length = np.zeros_like(inside[:1]), np.concatenate([np.diff(inside, axis=0), line(o["t_com"])[None]])
        return np.concatenate([current, back]), length, (*[WINDOW_STEPS] * WINDOW, STEPS[-1])
    cross, end = np.maximum(line(o["i_cross"]), LEAST_PULSE * line(o["i_one"])), line(o["i_end"])
    if "i_back" in o:  # of a slow diode what comes back goes on into the outputs
        cross = cross + np.minimum(line(o["i_back"]), cross)
    rise = np.maximum(line(o["t_clamp"]),
                      line(s.leakage) * cross
                      / np.maximum(spike(s, o, line), 1e-3 * line(o["v_or"])))  # no faster than the node drives it through the leakage
    rise = np.minimum(rise, LATEST * line(o["t_off"]))
    rest = line(o["t_off"]) - rise
    return (np.stack([np.zeros_like(end), cross, cross + EARLY * (end - cross), end, np.zeros_like(end)]),
            np.stack([rise, EARLY * rest, (1 - EARLY) * rest, line(o["t_com"])]), STEPS)


class Asked(sharing.Pulse, frozen=True):
    """The shared pulse of a period, with the outputs' loads [A], average rate [Hz] and reflected voltage [V]."""

    loads: Array
    fs: Array
    v_or: Array


def spread(x: Any, shape: tuple[int, ...], some: Any = ...) -> Array:
    """A row or number over the grid of that shape, flat; some: index of the corners, all where none is given."""
    return np.broadcast_to(np.asarray(plain(x), float), shape)[some].ravel()


def asked(plan: Any, s: pd.Stage, o: Mapping[str, Any], shape: tuple[int, ...], some: Any = ...) -> Asked:
    """What is shared at some corners (an index; all where none is given)."""
    def line(x: Any) -> Array:
        return spread(x, shape, some)
    rectifiers = [plan.rectifiers[k]["row"] for k in range(len(s.ns) - 1)]
    ratio = np.array([float(plain(s.np)) / float(plain(n)) for n in s.ns[:-1]])
    resistance = np.array([r["r_dynamic_ohm"] + x for r, x in zip(rectifiers, s.extra["r_effective"][1:-1], strict=True)]) * ratio**2
    forward, fs, loads = np.array([r["v_forward_v"] for r in rectifiers]), line(o["fs"]), np.array([line(i) for i in s.i_outputs[:-1]])
    current, length, steps = _pulse(s, o, line)
    wanted, given = loads / ratio[:, None] / fs, (0.5 * (current[1:] + current[:-1]) * length).sum(0)
    wanted[0] = np.where(line(s.is_limit) > 0, np.maximum(line(o["i_mean"]) / fs - wanted[1:].sum(0), wanted[0]),
                         wanted[0])  # at the limit the regulated output takes what the core gives; elsewhere each what it is asked to
    return Asked(s.extra["apart"][:-1, :-1], resistance, (line(s.v_out) + forward[0]) * ratio[0] * np.ones((len(ratio), 1)), wanted,
                 current * (wanted.sum(0) / np.maximum(given, 1e-15)), length, steps, ratio, forward, loads, fs, line(o["v_or"]))


def solve(plan: Any, s: pd.Stage, o: Mapping[str, Any], shape: tuple[int, ...], some: Any = ..., fewer: int = 1) -> Outputs:
    """Currents and voltages of all outputs for a period o of the stage (rows or numbers), begun from the lift that the stage knows at all
    corners. some: index of the corners, all where none is given; fewer: divides the steps."""
    a = asked(plan, s, o, shape, some)
    known = np.array([np.asarray(x)[some].ravel() for x in s.extra["lift"]]) if "lift" in s.extra and some is ... else 1.0
    found = a.shared(known, fewer)
    if found.miss.max() > OFF and np.ndim(known):  # from where all stand alike it is a longer way, and a surer one
        found = a.shared()
    here, ratio = np.empty(shape)[some].shape, a.ratio[:, None]

    def each(x: Array) -> list[Array]:
        return [v.reshape(here) for v in x]
    takes = (found.voltage + a.resistance[:, None] * found.square / np.maximum(found.charge, 1e-15)) / a.v_or
    return Outputs(each(found.peak * ratio), each(np.sqrt(found.square * a.fs) * ratio), each(found.voltage / ratio - a.forward[:, None]),
                   each(found.voltage / found.voltage[0]), each(takes), each(a.loads), each(found.yields * a.fs * ratio**2),
                   float(found.miss.max()))


def traces(design: Any, corner: Corner) -> tuple[Array, Array]:
    """Instants [s] from the switch's turn-off and currents (outputs, instants) [A] seen from the primary at a corner."""
    a = asked(design.context["plan"], design.context["stage"], design.context["o"], design.grid.shape,
              np.ix_(*(np.array([i]) for i in corner.index)))
    length, current = a.followed(a.shared().voltage)
    return np.append(0.0, length[:, 0].cumsum()), current[:, :, 0].T


def _reach(work: Work, plan: Any, found: Outputs, run: Any = ...) -> dict[int, Reach]:
    """How far the outputs that no loop holds move, by their numbers; run: which corners count."""
    s = plan.stage
    main, reach = float(plain(s.v_out)) + plan.rectifiers[0]["row"]["v_forward_v"], {}
    for k in range(1, len(work.need.outputs)):
        lift = np.asarray(found.lift[k][run]).ravel()
        at = int(np.argmax(lift))
        low, high = (float(np.clip(x, *LIFTS)) for x in (lift.min(), lift[at]))
        load, yields = (float(np.asarray(x[k][run]).ravel()[at]) for x in (found.load, found.yields))
        reach[k] = Reach(low, high, load, yields, s.ns[k] / s.ns[0], main, plan.rectifiers[k]["row"]["v_forward_v"])
    return reach


def _leaves(work: Work, reach: Mapping[int, Reach], down: bool) -> bool:
    """Whether an output leaves its tolerance, upwards or, where asked for, down."""
    for index, r in reach.items():
        out = work.need.outputs[index]
        low, high = (r.volts(x, r.turns) for x in (r.low, r.high))
        if high > out.magnitude * (1 + out.tolerance - 0.5 * ROOM) or (down and low < out.magnitude * (1 - out.tolerance + 0.5 * ROOM)):
            return True
    return False


def outside(work: Work, plan: Any) -> tuple[dict[int, Reach], list[Array]]:
    """How far the outputs move where one of them leaves its tolerance, or lives on less than bleeds can give it; nothing where all stay
    inside, and where there is one. Looked at on the highest and the lowest line, each with the least load that bleeds can give it. And
    about their lifts at every corner."""
    s, grid = plan.stage, work.grid
    outs, shape = work.need.outputs, grid.shape
    if len(outs) == 1:
        return {}, []
    loads = [np.maximum(i, LEAST_LOAD * out.current_max) for i, out in zip(s.i_outputs, outs, strict=False)]
    loaded = all(np.array_equal(i, j) for i, j in zip(loads, s.i_outputs, strict=False))
    s = replace(s, i_outputs=(*loads, s.i_outputs[-1]))
    runs = np.flatnonzero(grid.where(corners.RUN.points))
    found = solve(plan, s, pd.solve(s).out, shape, np.ix_(np.array([0, shape[0] - 1]), np.array([0]), runs, np.arange(shape[3])))
    reach = _reach(work, plan, found)
    return ({} if loaded and not _leaves(work, reach, True) else reach), [_everywhere(grid, x, runs) for x in found.lift]


def _everywhere(grid: Grid, ends: Array, runs: Array) -> Array:
    """At every corner about what is known of the lowest and the highest line at the loads `runs`; at any other load that of full load."""
    points = [int(np.flatnonzero(runs == (k if k in runs else grid.full_load))[0]) for k in range(grid.shape[2])]
    lines = np.array(grid.lines)
    part = ((lines - lines[0]) / max(lines[-1] - lines[0], 1e-9))[:, None, None, None]
    return np.broadcast_to(ends[:1, :, points] * (1 - part) + ends[1:, :, points] * part, grid.shape)


def lifted(work: Work, plan: Any) -> tuple[pd.Stage, dict[int, Reach]]:
    """The stage with what every winding takes from the core for its charge, over what that is at the reflected voltage (the auxiliary one
    just that), and how far the outputs move where one of them still climbs out of its tolerance; from half the steps: close enough for what
    the outputs take."""
    s, shape = plan.stage, work.grid.shape
    found = solve(plan, s, pd.solve(s).out, shape, fewer=2)
    reach = _reach(work, plan, found, np.broadcast_to(corners.RUN.mask(work.grid), shape))
    stage = replace(s, takes=(*(np.clip(x, *LIFTS) for x in found.takes), np.ones(shape)), extra={**s.extra, "lift": found.lift})
    return stage, reach if _leaves(work, reach, False) else {}


def record(work: Work, plan: Any, s: pd.Stage, o: Mapping[str, Any]) -> dict[str, list[Any]]:
    """Rows of what each output takes and stands at; none where there is one output, which takes all."""
    if len(work.need.outputs) == 1:
        return {}
    found = solve(plan, s, o, work.grid.shape)
    if found.miss > OFF:
        work.find(MUST_FIX, "rectifier", f"no voltage was found at which every output takes its load: {found.miss * 100:.0f} % of one is "
                  "missing; its currents and voltages are not to be used", "rectifier1.i_peak", "flyback.v_or")
    if "i_back" in o:
        work.find(LOOK_AT, "rectifier", "what a slow clamp diode sends back rings on through the outputs, which is left out: those that no "
                  "loop holds stand up to a tenth higher, and their rectifiers' peaks up to half as high again (exact periods)",
                  "output2.v_high", "clamp.kind")
    text = (f"solved: one pulse in {sum(STEPS)} steps, outputs held apart by leakage and resistance, diodes conducting or not; loads met "
            f"to {found.miss:.1g}")
    inputs = {"leakage": s.leakage, "i_top": o["i_top"], "t_off": o["t_off"]}
    rows: dict[str, list[Any]] = {"peak": [], "rms": [], "voltage": []}
    for k in range(len(work.need.outputs)):
        load = {"i_out": s.i_outputs[k]}
        rows["peak"].append(work.sheet.solved(f"secondary{k + 1}.i_peak", found.peak[k], "A", text, **load, **inputs))
        rows["rms"].append(work.sheet.solved(f"secondary{k + 1}.i_rms", found.rms[k], "A", text, **load, **inputs))
        rows["voltage"].append(None if k == 0 else work.sheet.solved(f"output{k + 1}.v", found.voltage[k], "V", text, **load, **inputs))
    return rows
