"""The tank's parts at the ends of their tolerances: the exact tank of all eight at every corner, and how far they move what it is rated by
from what nominal parts give."""

from collections.abc import Mapping
from itertools import product
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.corners import Array, outer_buses
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.stages import rate
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common.declare import LP_TOLERANCE
from rhevectra.core.topologies.resonant import several
from rhevectra.core.topologies.resonant import stage as st

LR, CR, LM = "llc.lr_tolerance", "llc.cr_tolerance", LP_TOLERANCE.id
LOWEST = "llc.f_set_tolerance"
"""Of the lowest frequency the controller is set to."""
DECISIONS = (
    LP_TOLERANCE,
    DecisionSpec(LR, "Tolerance of the resonant inductance", "switch", low=0.0, high=0.3,
                 schools="10 %: gapped and wound as usual, or the leakage of chambers; 5 %: ground to its value piece by piece"),
    DecisionSpec(CR, "Tolerance of the resonant capacitor", "switch", low=0.0, high=0.2,
                 schools="5 %: film as usual; 1 to 2 % selected; 10 % cheapest"),
    rate.decision(LOWEST, "switch", "Tolerance of the lowest frequency"),
)
BESIDE = 1.02
"""By what more than the slower resonance the flux of the transformer grows at an end of the tolerances: the frequency for the output moves
too."""
ENDS = np.array([(0, 0, 0), *product((-1, 1), repeat=3)])
"""Nominal parts, then the ends: resonant inductance, capacitor, magnetising inductance."""
_SAID = {"f_low": "lowest frequency", "f_high": "highest frequency", "i_peak": "peak tank current",
         "v_cap": "peak of the capacitor's alternating voltage", "flux": "flux linkage of the transformer",
         "choke": "flux linkage of the resonant inductance", "tank": "rms tank current", "rect": "rms rectifier current",
         "rect_peak": "peak rectifier current", "core": "core loss of the transformer", "choke_core": "core loss of the resonant inductor",
         "turned": "time until the tank current turns its sign"}


class Tolerances(Struct, frozen=True):
    """Shares by which resonant inductance, capacitor and magnetising inductance may miss their values."""

    lr: float
    cr: float
    lm: float

    @property
    def slowest(self) -> float:
        """Longest resonance over the nominal one."""
        return float(np.sqrt((1 + self.lr) * (1 + self.cr)))

    @property
    def more_flux(self) -> float:
        """Flux of the transformer at the worst end over that of nominal parts, as expected before it is wound."""
        return BESIDE * self.slowest

    def more_core(self, material: Mapping[str, Any]) -> float:
        """Core loss of the transformer at the slowest end over that of nominal parts, as expected before it is wound."""
        return float(self.more_flux ** material["loss_beta"] / self.slowest ** material["loss_alpha"])

    def more_current(self, tank: Array, magnetising: Array) -> float:
        """Rms tank current at the worst end over that of nominal parts, as expected before it is wound: the magnetising current grows with
        the slowest tank and the least inductance, what is beside it stays. Rms currents [A] at full load."""
        more = self.slowest / (1 - self.lm)
        return float(np.sqrt(1 + (more**2 - 1) * np.square(magnetising / tank)).max())

    @property
    def weakest(self) -> tuple[tuple[float, float, float], ...]:
        """Parts over the nominal ones of the ends that may give least gain: little capacitance, and much magnetising inductance beside
        either end of the resonant one."""
        return tuple((1 + a, 1 - self.cr, 1 + self.lm) for a in (-self.lr, self.lr))

    @property
    def least_to_start(self) -> tuple[tuple[float, float, float], ...]:
        """Parts over the nominal ones of the ends that may give an output on its way up least: much capacitance and little magnetising
        inductance beside either end of the resonant one."""
        return tuple((1 + a, 1 + self.cr, 1 - self.lm) for a in (-self.lr, self.lr))

    @property
    def outermost(self) -> tuple[tuple[float, float, float], ...]:
        """Parts over the nominal ones of the slowest and the fastest tank."""
        return tuple((1 + sign * self.lr, 1 + sign * self.cr, 1 + sign * self.lm) for sign in (1, -1))


def at(s: st.Stage, parts: tuple[Any, Any, Any]) -> st.Stage:
    """The stage with other parts in its tank: resonant inductance, capacitor and magnetising inductance over its own."""
    return replace(s, **{n: getattr(s, n) * x for n, x in zip(("lr", "cr", "lm"), parts, strict=True)})


def every(s: st.Stage, by: Tolerances, axes: int) -> tuple[st.Stage, tuple[Array, Array, Array]]:
    """The stage with the parts of all ends on an axis of their own before so many others, and the parts over its own: resonant inductance,
    capacitor, magnetising inductance. A fixed ratio is trimmed to the resonance of each piece."""
    lr, cr, lm = ((1 + share * ENDS[:, k]).reshape(-1, *[1] * axes) for k, share in enumerate((by.lr, by.cr, by.lm)))
    return replace(at(s, (lr, cr, lm)), fixed=s.fixed / np.sqrt(lr * cr) if s.fixed else 0.0), (lr, cr, lm)


def begun(state: Mapping[str, Any], where: Array, more: Array) -> dict[str, Any]:
    """What solutions of all ends begin from: that of nominal parts at the flat places `where`, the magnetising current, most of both at the
    start, as its inductance has it: `more` times."""
    first: dict[str, Any] = {k: None if x is None else x[where.ravel()] for k, x in state.items()}
    first["near"][:, :2] *= np.broadcast_to(more, where.shape).reshape(-1, 1)
    return first


class Ends(Struct, frozen=True):
    """What the worst end makes of a quantity over what nominal parts do, at every corner (`_SAID` names them); i_off: turn-off current it
    takes away [A]; miss: how far the worst is from periodic."""

    over: dict[str, Array]
    i_off: Array
    miss: float

    def most(self, key: str, nominal: Array) -> float:
        """Greatest of a quantity over corners and tolerances, from what nominal parts give at each corner."""
        return float((self.over[key] * nominal).max())


def choose(work: Work) -> Tolerances:
    """The tolerances, by rule or pin."""
    work.choose(LR, 0.10, "gapped as usual, or what chambers leak from one piece to the next (common practice)")
    work.choose(CR, 0.05, "usual class of film capacitors (common practice)")
    work.choose(LM, 0.10, "gapped core as made (common practice); a ground gap holds 5 %")
    return of(work.sheet.rows)


def of(rows: Mapping[str, Any]) -> Tolerances:
    """The tolerances among rows."""
    return Tolerances(*(float(rows[id].value) for id in (LR, CR, LM)))


def solve(s: st.Stage, settled: st.Settled, by: Tolerances) -> Ends:
    """All ends at the least and the greatest bus of every operating point, at the buses between in proportion; what is lost in resistances
    as with nominal parts."""
    shape = settled.out["f"].shape
    outer, between = outer_buses(np.broadcast_to(s.v_bus, shape))
    taken = lambda x: np.broadcast_to(x, shape).ravel()[outer]  # noqa: E731
    s = several.seen(s)
    looks = {n: taken(x) for n in ("v_out", "r_secondary") if np.ndim(x := getattr(s, n))}
    moved, (lr, _, lm) = every(replace(s, v_bus=taken(s.v_bus), i_out=taken(s.i_out), **looks), by, outer.ndim)
    found = st.solve(moved, begun(settled.state, np.broadcast_to(outer, (len(ENDS), *outer.shape)), lr / lm), passes=1)
    o = found.out
    most = {"f_high": o["f"], "i_peak": o["i_tank_peak"], "v_cap": o["v_cap"], "flux": moved.linkage(o["i_mag"], o["i_tank_peak"]),
            "choke": lr * o["i_tank_peak"]}
    run, choke = np.sqrt(o["share"]), most["choke"]
    most |= {"tank": run * o["i_tank"], "rect": run * o["i_rect"], "rect_peak": o["i_rect_peak"], "core": o["share"] * o["p_core"],
             "choke_core": o["share"] * o["f"] ** s.core["loss_alpha"] * choke ** s.core["loss_beta"]}
    least = {"f_low": o["f"], "turned": o["t_turned"]}
    over = {k: np.divide(x.max(0), x[0], out=np.ones_like(x[0]), where=x[0] > 0) for k, x in most.items()} | {
        k: x.min(0) / np.where(x[0] > 0, x[0], np.inf) for k, x in least.items()}

    def everywhere(x: Array) -> Array:
        return np.asarray(x[0][:, None] + between * (x[1] - x[0])[:, None])
    return Ends({k: everywhere(x) for k, x in over.items()}, everywhere(o["i_off"][0] - o["i_off"].min(0)), found.miss)


def record(work: Work, ends: Ends) -> dict[str, Any]:
    """Rows of how far each quantity moves, by their names, with the turn-off current that is lost."""
    text = ("exact tanks with resonant inductance, capacitor and magnetising inductance at all eight ends of their tolerances, at the "
            "least and the greatest bus (in proportion between): {} of the worst over that of nominal parts")
    rows: dict[str, Any] = {k: work.sheet.solved(f"llc.ends_{k}", x, "", text.format(_SAID[k])) for k, x in ends.over.items()}
    return rows | {"i_off": work.sheet.solved("llc.ends_i_off", ends.i_off, "A", "the same tanks: turn-off current of nominal parts less "
                                              "the least of all")}
