"""What differs between two designs, figure by figure: after an edit, against a reference, between two files."""

from collections.abc import Iterable

from msgspec import Struct

from rhevectra.core.basis.quantities import in_percent, show
from rhevectra.core.design.design import Design, Figure

_NOTICED = 5e-4
"""Relative change below which two values count as the same."""
_TELLING = ("transformer.core", "switch.class", "switch.v_peak", "transformer.temperature_rise", "loss.total", "efficiency",
            "bulk.v_valley", "clamp.power", "transformer.b_peak", "switch.duty_max")
"""Figures that a line about an edit mentions, the ones that moved most first."""


class Change(Struct, frozen=True):
    """One figure that differs: its texts in both designs (empty where one has no such figure) and the relative change."""

    id: str
    label: str
    stage: str
    old: str
    new: str
    relative: float


def value_text(figure: Figure) -> str:
    """A figure's value as people read it."""
    return text_of(figure.id, figure.value, figure.unit)


def text_of(id: str, value: object, unit: str, digits: int = 3) -> str:
    """A value under its id as people read it: shares that are told in percent so, efficiencies to a tenth."""
    if isinstance(value, str):
        return value
    number = float(value)  # type: ignore[arg-type]
    if in_percent(id, unit):
        return f"{number * 100:.1f} %" if id.startswith("efficiency") else show(number * 100, "%", digits)
    return show(number, unit, digits)


def difference(old: Figure, new: Figure) -> str:
    """The change of a figure as people read it (`+12.0 V`), or empty where it did not move."""
    if isinstance(old.value, str) or isinstance(new.value, str):
        return "" if old.value == new.value else f"was {value_text(old)}"
    moved = float(new.value) - float(old.value)
    if abs(moved) <= _NOTICED * max(abs(float(old.value)), 1e-30):
        return ""
    return ("+" if moved > 0 else "−") + text_of(new.id, abs(moved), new.unit, 2)


def changes(old: Design, new: Design, among: Iterable[str] | None = None) -> list[Change]:
    """Every figure that differs, in the order of the new design, figures only one of them has last; or of those named, in their order."""
    out = []
    for id in among or (*new.figure_ids, *(i for i in old.figure_ids if i not in new.rows)):
        a, b = (d.figure(id) if id in d.specs and id in d.rows else None for d in (old, new))
        shown = b or a
        if shown is None or (a is not None and b is not None and not difference(a, b)):
            continue
        relative = (float("inf") if a is None or b is None or isinstance(a.value, str) or isinstance(b.value, str)
                    else abs(float(b.value) - float(a.value)) / max(abs(float(a.value)), 1e-30))
        out.append(Change(id, shown.label, shown.stage, value_text(a) if a else "", value_text(b) if b else "", relative))
    return out


def summary(old: Design, new: Design, count: int = 3) -> str:
    """What an edit moved, in one line: the telling figures that moved most."""
    told = sorted((c for c in changes(old, new, _TELLING) if c.old and c.new), key=lambda c: -c.relative)[:count]
    return " · ".join(f"{c.label.lower()} {c.old} → {c.new}" for c in told)
