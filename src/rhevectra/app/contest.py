"""The contest as data and as lines of text."""

from collections.abc import Sequence
from typing import Any

from rhevectra.app.workers import run
from rhevectra.core.basis.quantities import margin_text, show
from rhevectra.core.design.contest import Entry, own_choices
from rhevectra.core.design.declared import decision_specs
from rhevectra.core.design.names import spoken
from rhevectra.core.stages import DC_FRONT_END, FRONT_ENDS, clamps_for
from rhevectra.core.topologies import TOPOLOGIES

_FIELDS = ("rank", "topology", "front_end", "feasible", "efficiency", "efficiency_light", "loss", "magnetics_volume", "switch_stress",
           "capacitor_stress", "part_count", "cost_index", "tightest_margin", "tightest", "missed", "reason")


def as_json(entries: Sequence[Entry], elapsed: float) -> dict[str, Any]:
    """The object that `contest --json` prints."""
    return {"elapsed": elapsed,
            "entries": [{**{f: getattr(e, f) for f in _FIELDS}, "chosen": dict(e.pins), "tried": e.tried} for e in entries]}


def chosen_text(entry: Entry) -> str:
    """What the search chose, in words."""
    topology = TOPOLOGIES[entry.topology]
    specs = decision_specs(topology, FRONT_ENDS.get(entry.front_end or "", DC_FRONT_END), next(iter(clamps_for(topology).values())))

    def told(id: str, value: Any) -> str:
        label, said = specs[id].label.lower(), spoken(value, id) if isinstance(value, str) else show(float(value), specs[id].unit)
        return said if said.startswith(label) else f"{label} {said}"
    return ", ".join(told(id, v) for id, v in own_choices(entry.pins, entry.topology).items())


def lines(entries: Sequence[Entry], elapsed: float) -> list[str]:
    """A table and, below it, the reason of each."""
    out = [f"{'':4}{'topology':<22}{'front end':<17}{'η full':>8}{'η 10 %':>8}{'cores':>11}{'switch':>11}"
           f"{'parts':>7}{'cost':>7}{'margin':>9}"]
    for e in entries:
        rank = "-" if e.rank is None else str(e.rank)
        head = f"{rank:<4}{e.topology:<22}{e.front_end or '–':<17}"
        if e.hopeless:
            out.append(f"{head}  would burn more than it gives")
            continue
        out.append(f"{head}{e.efficiency * 100:7.1f}%{e.efficiency_light * 100:7.1f}%{e.magnetics_volume * 1e6:7.1f} "
                   f"cm³{e.switch_stress:6.1f} VA/W{e.part_count:6d}{e.cost_index:7.1f}{margin_text(e.tightest_margin):>9}")
    out.append("")
    for e in entries:
        out.append(f"{e.topology}: {e.reason}")
        out.append(f"    best of {e.tried} designs: {chosen_text(e)}; all else by rule")
    out.append(f"{sum(e.tried for e in entries)} designs in {elapsed * 1e3:.0f} ms, the mains filter with its usual copper")
    return out


__all__ = ["as_json", "chosen_text", "lines", "run"]
