"""What would admit a core that was refused: the cheapest single change, found by designing with it."""

from collections.abc import Iterator, Sequence
from typing import Any

from rhevectra.core.basis.quantities import show
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size

STEPS: tuple[tuple[str, Any], ...] = (
    ("transformer.arrangement", "split"), ("transformer.arrangement", "simple"), ("insulation.school", "triple"),
    ("transformer.rise_max", 50.0), ("flyback.ripple_ratio", 1.2), ("fs", 80e3),
    ("transformer.rise_max", 55.0), ("fs", 100e3), ("derating.flux", 0.95), ("transformer.rise_max", 60.0), ("fs", 130e3))
"""Changes in the order of what they cost: arrangement and insulation school, some heat, ripple, frequency, safety against saturation."""


def relaxations(design: Design, cores: Sequence[str]) -> Iterator[tuple[int, int, str | None]]:
    """Work through cores: yields (done, total, sentence or None), a sentence when a core is settled."""
    total = len(cores) * len(STEPS)
    for k, core in enumerate(cores):
        sentence = f"{core}: no single change tried admits it"
        if size(design.requirement, {**design.pins, "transformer.core": core}, design.as_built, design.catalogue).feasible:
            yield (k + 1) * len(STEPS), total, f"{core} would do as it is: it was passed over for what it burns"
            continue
        for n, (id, value) in enumerate(STEPS):
            row = design.rows.get(id)
            if row is None or row.value == value or id in design.pins:
                continue
            if size(design.requirement, {**design.pins, "transformer.core": core, id: value}, design.as_built, design.catalogue).feasible:
                shown = value if isinstance(value, str) else show(value, design.decision_specs[id].unit)
                sentence = f"{core} would do with {design.decision_specs[id].label.lower()} {shown}"
                break
            yield k * len(STEPS) + n + 1, total, None
        yield (k + 1) * len(STEPS), total, sentence


def cheapest_relaxation(design: Design, core: str) -> str:
    """One sentence: the first change of `STEPS` with which a design on `core` meets everything, or that none does."""
    return next(text for _, _, text in relaxations(design, [core]) if text is not None)
