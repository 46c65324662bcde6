"""Several outputs of a step-down stage: their filter inductors are windings of one core in the turns of the transformer, so that all stand
to one another as their turns do.

The period is that of one output, the regulated one, with the ampere-turns of all; what each has of it is told apart afterwards.
"""

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from msgspec.structs import replace

from rhevectra.core.basis.sheet import Quick, plain
from rhevectra.core.formulas import coupled, flyback, forward
from rhevectra.core.stages.work import Work
from rhevectra.core.topologies.common import secondaries

if TYPE_CHECKING:
    from rhevectra.core.topologies.stepdown.stage import Stage

COUPLING = 0.98
"""Share of its field that a winding of the filter core has in common with another, wound side by side (typical, from memory)."""
_SEEN = {"i_out": "load.i_seen", "v_out": "load.v_seen", "r_rectifier": "rectifier.r_seen", "r_secondary": "transformer.r_seen",
         "r_inductor": "filter1.r_seen"}


class Other(secondaries.Other, frozen=True):
    """One more output, with the resistance of its filter winding [Ω]."""

    r_inductor: Any


def estimate(work: Work, rectifiers: Mapping[int, Any], numbers: Sequence[int], main_volts: float, fs: float, sleeps: bool,
             supply: float) -> tuple[Other, ...]:
    """The other outputs before anything is wound, behind one turn of the regulated winding. main_volts: of that winding in the mean, with
    all drops [V]."""
    found = []
    for k in numbers:
        out, row = work.need.outputs[k], rectifiers[k]["row"]
        ohms = 0.006 * out.magnitude / out.current_max
        found.append(
            Other(k + 1, (out.magnitude + secondaries.drops(work, k, row)) / main_volts,
                  np.broadcast_to(secondaries.load_of(work, k, row, fs, sleeps, supply), work.grid.shape), row["v_forward_v"],
                  row["r_dynamic_ohm"], ohms, ohms))
    return tuple(found)


def _total(sheet: Any, s: "Stage") -> Any:
    """Current of all outputs, seen from the regulated one [A]."""
    total = s.i_out
    for x in s.others:
        total = sheet(f"load.i_with{x.n}", coupled.seen, i=total, i_other=x.i_out, turns_other=x.ns, turns=s.ns)
    return sheet.again("load.i_seen", total)


def _idle(sheet: Any, s: "Stage", total: Any = None) -> tuple[Any, list[Any], Any]:
    """How far an idle output rises [V], how idle each is, the regulated one first, and the ripple of the core by its volt-seconds [A];
    total: current of all [A], where it is known. A sheet that has them gives its rows."""
    rows, count = getattr(sheet, "rows", {}), 1 + len(s.others)
    if "filter1.v_lift" in rows:
        return rows["filter1.v_lift"], [rows[f"load.idle{n}"] for n in (1, *(x.n for x in s.others))], rows["filter1.i_ripple_ideal"]
    main, total = {"v_out": s.v_out, "v_forward": s.v_forward}, _total(sheet, s) if total is None else total
    v_in = (sheet("filter1.v_driving_primary", forward.primary_voltage, share=s.variant.drive, v_bus=s.v_bus) if s.variant.drive != 1
            else s.v_bus)
    up = sheet("filter1.v_driving", coupled.driving, v_primary=v_in, turns=s.ns, turns_primary=s.np, **main)
    ripple = sheet("filter1.i_ripple_ideal", coupled.ideal_ripple, v_up=up, **main,
                   rate=sheet("filter1.rate_nominal", forward.pulse_frequency, pulses=s.variant.pulses, fs=s.fs), inductance=s.inductance)
    idle = [sheet(f"load.idle{n}", coupled.idle_share, i=i, turns_own=ns, turns=s.ns, count=count, ripple=ripple, i_all=total)
            for n, ns, i in ((1, s.ns, s.i_out), *((x.n, x.ns, x.i_out) for x in s.others))]
    return sheet("filter1.v_lift", coupled.lift, coupling=s.extra["coupling"], v_up=up), idle, ripple


def seen(sheet: Any, s: "Stage") -> "Stage":
    """The stage with one output that behaves as all together."""
    total = _total(sheet, s)
    v_lift, idle, ripple = _idle(sheet, s, total)
    even = sheet("load.v_even", coupled.even_voltage, v_out=s.v_out, idle=idle[0], v_lift=v_lift)
    kinds = ("r_rectifier", "r_secondary", "r_inductor")
    theirs, x = {name: drop / plain(total) for name, drop in _theirs(s, kinds).items()}, plain(idle[0])
    text = ("what a drop is at the current of all: of the regulated output at its own current, or where that is idle of those that carry "
            "the current")
    path = sheet.solved("filter1.r_others", sum(theirs.values()), "Ω",
                        "drops in the paths of the others, each at its own current, in the mean of all, as a resistance in the way of all "
                        "of it", i=total)
    volts = sheet("load.v_seen", coupled.mean_voltage, v_even=even, idle=idle[0], r=path, i_all=total, ripple=ripple)
    own = {name: plain(getattr(s, name)) * plain(s.i_out) / plain(total) for name in kinds}
    return replace(s, others=(), i_out=total, v_out=volts,
                   **{name: sheet.solved(_SEEN[name], (1 - x) * own[name] + x * theirs[name], "Ω", text, i=total, idle=idle[0])
                      for name in kinds})


def _theirs(s: "Stage", kinds: Sequence[str]) -> dict[str, Any]:
    """Drop [V] across each kind of resistance of the outputs beside the regulated one, seen from that, in the mean by what each carries."""
    carried = [plain(x.i_out) * plain(x.ns) / plain(s.ns) for x in s.others]
    whole, squares = sum(carried), [i**2 for i in carried]
    return {name: sum(square * plain(getattr(x, name)) * (plain(s.ns) / plain(x.ns)) ** 2
                      for x, square in zip(s.others, squares, strict=True)) / whole for name in kinds}


def seen_rows(sheet: Any, s: "Stage") -> "Stage":
    """The same from the rows of a recorded pass."""
    return replace(s, others=(), **{name: sheet.rows[id] for name, id in _SEEN.items()})


def apart(sheet: Any, s: "Stage", o: Mapping[str, Any]) -> list[dict[str, Any]]:
    """What each output has of a settled period, the regulated one first: its number n, turns, current i, how idle it is, whether it is
    busy, resistances in its path while the switches feed, while it freewheels and r in the mean [Ω], and ripple, rms and crest of its
    filter winding [A]. s: the stage as it is."""
    own = o["i_load"]
    for x in s.others:
        own = sheet(f"load.i_without{x.n}", coupled.left, i=own, i_other=x.i_out, turns_other=x.ns, turns=s.ns)
    duty = sheet("filter1.duty", flyback.duty, t_on=o["t_e"], fs=o["fs"])
    found: list[dict[str, Any]] = []
    for (n, path, i), idle in zip(((1, s, own), *((x.n, x, x.i_out) for x in s.others)), _idle(sheet, s)[1], strict=True):
        busy = sheet.solved(f"load.busy{n}", np.where(np.asarray(plain(idle)) == 0, 1.0, 0.0), "",
                            "1 where its filter winding carries current all the time", idle=idle)
        found.append({"n": n, "ns": path.ns, "i": i, "idle": idle, "busy": busy, **_path(sheet, n, path, duty, s.variant.both_ways)})
    _ripples(sheet, s, o, found, duty)
    return found


def _ripples(sheet: Any, s: "Stage", o: Mapping[str, Any], found: list[dict[str, Any]], duty: Any) -> None:
    """Adds to each output the ripple, rms and crest of its filter winding, and how much the step of its drops takes of its even part of the
    ripple."""
    busy = {f"busy{x['n']}": x["busy"] for x in found}
    sharers = sheet.solved("filter1.sharers", np.maximum(sum(plain(b) for b in busy.values()), 1.0), "",
                           "outputs whose windings carry current all the time: they share the ripple alike", **busy)
    drops = [sheet(f"filter1.v_uneven{x['n']}", coupled.uneven_drop, feeding=x["feeding"], wheeling=x["wheeling"], i=x["i"], turns=s.ns,
                   turns_other=x["ns"]) for x in found]
    mean = sheet.solved("filter1.v_uneven", sum(plain(b) * plain(u) for b, u in zip(busy.values(), drops, strict=True)) / plain(sharers),
                        "V", "mean of those that carry current all the time", **{f"u{k}": u for k, u in enumerate(drops, 1)})
    leakage = sheet("filter1.l_apart", coupled.unshared, inductance=s.inductance, coupling=s.extra["coupling"], count=1 + len(s.others))
    for x, u in zip(found, drops, strict=True):
        n, i = x["n"], x["i"]
        uneven = sheet(f"filter1.i_uneven{n}", coupled.uneven_ripple, drop=u, mean=mean, duty=duty, rate=o["fs"], leakage=leakage)
        ripple = sheet(f"filter1.i_ripple_of{n}", coupled.ripple_of_one, ripple=o["ripple"], sharers=sharers, uneven=uneven, turns=s.ns,
                       turns_other=x["ns"], busy=x["busy"], i=i)
        x |= {"uneven": uneven, "ripple": ripple, "i_l": sheet(f"filter1.i_rms_of{n}", coupled.winding_rms, i=i, ripple=ripple),
              "crest": sheet(f"filter1.i_peak_of{n}", coupled.winding_crest, i=i, ripple=ripple)}


def _path(sheet: Any, n: int, s: Any, duty: Any, both_ways: bool) -> dict[str, Any]:
    """Resistances in the path of an output: while the switches feed, while it freewheels, and in the mean; s: what has its three parts."""
    feeding = sheet.total(f"filter1.r_feeding_of{n}", "Ω", "rectifier, winding and filter winding while the switches feed",
                          rectifier=s.r_rectifier, winding=s.r_secondary, inductor=s.r_inductor)
    free = (sheet(f"rectifier{n}.r_freewheeling", forward.freewheeling_resistance, r_rectifier=s.r_rectifier, r_winding=s.r_secondary)
            if both_ways else s.r_rectifier)
    wheeling = sheet.total(f"filter1.r_wheeling_of{n}", "Ω", "rectifiers and filter winding while it freewheels", rectifier=free,
                           inductor=s.r_inductor)
    return {"feeding": feeding, "wheeling": wheeling,
            "r": sheet(f"filter1.r_of{n}", coupled.mean_resistance, duty=duty, feeding=feeding, wheeling=wheeling)}


def own_pulses(s: "Stage", out: Mapping[str, Any]) -> list[dict[str, Any]]:
    """The period as the windings of each output see it, the regulated one first, in bare numbers: its valley and crest in the place of
    those of all."""
    return [{**out, "valley": np.maximum(np.asarray(x["i"]) - 0.5 * x["ripple"], 0.0), "crest": np.asarray(x["crest"])}
            for x in apart(Quick(), s, out)]


def filter_shares(work: Work, s: "Stage") -> list[float]:
    """Shares of the filter core's copper, the regulated output first: as the ampere-turns at full load are, so that all of it is as
    dense."""
    outs = work.need.outputs
    amps = [outs[0].current_max * float(plain(s.ns)), *(outs[x.n - 1].current_max * float(plain(x.ns)) for x in s.others)]
    return [a / sum(amps) for a in amps]


def with_filter(work: Work, s: "Stage", resistance: float) -> "Stage":
    """The stage with the resistances of the windings of its filter core, which as one winding of the regulated output's turns has this one
    [Ω]."""
    shares = filter_shares(work, s)
    return replace(s, r_inductor=resistance / shares[0],
                   others=tuple(replace(x, r_inductor=resistance * (x.ns / s.ns) ** 2 / share)
                                for x, share in zip(s.others, shares[1:], strict=True)))


def common_step(s: "Stage") -> int:
    """Turns of the regulated output's filter winding come in so many, for all windings to have whole turns in the ratio of the
    transformer's."""
    return int(s.ns) // int(np.gcd.reduce([int(s.ns), *(int(x.ns) for x in s.others)]))
