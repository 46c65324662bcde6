"""Heat sinks: which parts need one, one for each side of the barrier, and what it has to do so that every junction on it keeps its
limit."""

from collections.abc import Mapping, Sequence
from functools import reduce
from typing import Any

import numpy as np
from msgspec import Struct

from rhevectra.core.basis import corners
from rhevectra.core.basis.corners import Array
from rhevectra.core.basis.decisions import DecisionSpec
from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.preferred import at_most
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.basis.sheet import Row, plain
from rhevectra.core.formulas import sink
from rhevectra.core.stages.work import FigureSpec, Hot, Work

SIDES = {"primary": "primary side", "secondary": "secondary side"}
FREE = {"natural": 60.0, "forced": 40.0, "conduction": 60.0}
"""Case to air [K/W] of an upright package without a sink, about (common practice, no source)."""
FLOOR = {"natural": 1.0, "forced": 0.3, "conduction": 0.2}
"""Heat sinks [K/W] below which no usual profile reaches, about (common practice, no source)."""
ROOM = {"natural": 6.5e-4, "forced": 1.15e-4}
"""Room of a finned sink times its resistance [m³K/W]: 500 to 800 cm³K/W in still air, 80 to 150 at 2.5 m/s (typical, from memory)."""
ROOM_LEFT, SMALLEST = 0.9, 0.05
"""Share of what is allowed that the rule uses, and the least resistance [K/W] it writes down, where no heat sink would do."""
PAD, ALONE, WARM = "sink.pad", "sink.free", "sink.t_max"
DECISIONS = (
    DecisionSpec(PAD, "Pad under each package", "load", unit="K/W", low=0.0, high=10.0,
                 schools="0.1 to 0.2 bare with grease, the tab live; 0.4 to 1 an insulating pad or mica"),
    DecisionSpec(ALONE, "Package without a heat sink, case to air", "load", unit="K/W", low=1.0, high=300.0,
                 schools="60 upright in still air; 30 to 50 flat on 5 to 10 cm² of copper; 300: each part on a heat sink"),
    DecisionSpec(WARM, "Heat sinks, temperature at most", "load", unit="°C", low=30.0, high=200.0,
                 schools="85 to 90 beside electrolytic capacitors; 100: board and neighbours; what the dies allow: smallest sink"),
    *(DecisionSpec(f"sink.{side}", f"Heat sink, {said}", "load", unit="K/W", low=0.02, high=300.0,
                   schools="as large as its parts allow; a cooler one: longer lives beside it, less loss in the dies")
      for side, said in SIDES.items()),
)
_HOT = "losses as at the junctions' limits; one temperature all over the sink"
FIGURES = tuple(f for side in SIDES for f in (
    FigureSpec(f"sink.{side}_most", f"{side.title()} heat sink, at most", f"R_{side[0]},max", "load", corners.FULL, "min", fixed=_HOT,
               sentence="the part that needs it coolest decides, or what stands beside it, with the heat of all on it"),
    FigureSpec(f"sink.{side}", f"{side.title()} heat sink", f"R_{side[0]}", "load", corners.FULL, "max", f"sink.{side}_most", "max",
               fixed=_HOT),
    FigureSpec(f"sink.{side}_t", f"{side.title()} heat sink, hottest", f"T_{side[0]}", "load", corners.FULL, fixed=_HOT)))

class Placed(Struct, frozen=True):
    """A part and the side whose heat sink it stands on; empty: it stands alone."""

    hot: Hot
    side: str


def key(part: str) -> str:
    """A part as it stands in the ids of its rows."""
    return part.replace(".", "_")


_CALLED = {"switch": "switches", "pfc": "power factor switches", "pfc.diode": "boost diodes"}


def called(need: Requirement, part: str) -> str:
    """A part in words; need: whose outputs have the names."""
    if part.startswith(("rectifier", "regulator")):
        kind = part.rstrip("0123456789")
        return f"{kind} of {need.outputs[int(part[len(kind):]) - 1].name}"
    return _CALLED.get(part, part)


def room_said(design: Any, side: str) -> str:
    """Words behind the resistance of a side's heat sink: the room it takes, where that is known."""
    return f", about {show(design.value(f'sink.{side}_room'), 'm³', 2)}" if f"sink.{side}_room" in design.rows else ""


def side_of(hot: Hot, isolated: bool) -> str:
    """The side of the barrier a part stands on; all on one where there is none."""
    return "secondary" if isolated and hot.part.startswith(("rectifier", "regulator")) else "primary"


def least(work: Work, row: Any) -> float:
    """The least of a row at full load."""
    return float(np.broadcast_to(plain(row), work.grid.shape)[_full(work)].min())


def _full(work: Work) -> Array:
    return np.broadcast_to(corners.FULL.mask(work.grid), work.grid.shape)


def _alone(work: Work, hot: Hot, free: float) -> bool:
    """Whether a part keeps its limit without a heat sink; `free` [K/W] where its class tells nothing of its own."""
    return least(work, work.sheet.rows[hot.case]) >= (hot.r_ja - hot.r_jc if hot.r_ja else free / hot.count)


def record(work: Work) -> list[Placed]:
    """Rows of the heat sinks there have to be, and of every junction, after those of all losses."""
    way = work.need.cooling
    pad = work.choose(PAD, 0.5, "an insulating pad (common practice, no source)")
    free = work.choose(ALONE, FREE[way], "upright package (common practice, no source)")
    work.choose(WARM, 100.0, "board and neighbours (common practice, no source)")
    isolated = "transformer.core" in work.sheet.rows
    placed = [Placed(h, "" if _alone(work, h, float(free.value)) else side_of(h, isolated)) for h in work.hot]
    for side in SIDES:
        if on := [p.hot for p in placed if p.side == side]:
            _sink(work, side, on, pad)
    for h in (p.hot for p in placed if not p.side):
        own = work.sheet.given(f"sink.free_{key(h.part)}", h.r_ja - h.r_jc, "K/W", "catalogue", "junction to air less junction to case "
                               "of its class") if h.r_ja else free
        work.sheet(f"sink.tj_{key(h.part)}", sink.junction, t_sink=work.sheet.rows["ambient.max"], **_way(h, own))
    return placed


def _way(hot: Hot, outside: Row) -> dict[str, Any]:
    """What lies between a junction and what its package stands on, or the air: outside [K/W] of one package."""
    return {"power": hot.power, "r_jc": hot.r_jc, "pad": outside, "count": hot.count}


def _limited_by(work: Work, by: Mapping[str, Any]) -> str:
    """In words what decides a heat sink; by: rows of what each part on it, or what stands beside it, allows."""
    decides = min(by, key=lambda part: least(work, by[part]))
    return "the temperature beside it" if decides == "warmth" else f"the junction of the {called(work.need, decides)}"


def _sink(work: Work, side: str, on: Sequence[Hot], pad: Row) -> None:
    """Rows of the heat sink of one side, and of the junctions on it."""
    sheet, rows, name = work.sheet, work.sheet.rows, f"sink.{side}"
    whole, ambient = sheet.total(f"{name}_p", "W", "all that stand on it", **{key(h.part): h.whole for h in on}), rows["ambient.max"]
    by = {"warmth": sheet(f"{name}_by_warmth", sink.for_warmth, t_most=rows[WARM], ambient=ambient, whole=whole)} | {
        h.part: sheet(f"{name}_by_{key(h.part)}", sink.most, t_junction=rows[f"{h.part}.t_junction"], ambient=ambient, whole=whole,
                      **_way(h, pad)) for h in on}
    most = sheet.solved(f"{name}_most", reduce(np.minimum, (r.value for r in by.values())), "K/W", "least of what all on it allow, and "
                        "what stands beside it", **{key(k): r for k, r in by.items()})
    room, said = least(work, most), _limited_by(work, by)
    r_sink = work.choose(name, lambda: at_most(max(ROOM_LEFT * room, SMALLEST), "E6"),
                         f"largest of E6 that leaves a tenth of what {said} allows")
    if room < FLOOR[work.need.cooling]:
        work.find(LOOK_AT, "load", f"{side} heat sink: {show(max(room, 0.0), 'K/W', 2)} at most, for "
                  f"{show(float(np.max(plain(whole)[..., work.grid.full_load, :])), 'W')}; usual profiles reach "
                  f"{FLOOR[work.need.cooling]:g} K/W (common practice): fewer losses, more air, or more sinks", f"{name}_most", "")
    t_sink = sheet(f"{name}_t", sink.temperature, ambient=ambient, r_sink=r_sink, whole=whole)
    for h in on:
        sheet(f"sink.tj_{key(h.part)}", sink.junction, t_sink=t_sink, **_way(h, pad))
    if work.need.cooling in ROOM:
        share = sheet.given("sink.share", ROOM[work.need.cooling], "m³K/W", "rule", "room of finned sinks times their resistance (typical, "
                            "from memory)")
        sheet(f"{name}_room", sink.volume, share=share, r_sink=r_sink)
