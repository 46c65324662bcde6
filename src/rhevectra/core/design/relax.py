"""What would admit a core that was refused: the cheapest single change, found by designing with it."""

from collections.abc import Mapping
from typing import Any

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size

STEPS: tuple[tuple[str, Any], ...] = (
    ("transformer.arrangement", "split"), ("transformer.arrangement", "simple"), ("insulation.school", "triple"), ("transformer.rise_max", 50.0), ("flyback.ripple_ratio", 1.2), ("fs", 80e3),
    ("transformer.rise_max", 55.0), ("fs", 100e3), ("derating.flux", 0.95), ("transformer.rise_max", 60.0), ("fs", 130e3))
"""Changes in the order of what they cost: arrangement and insulation school, some heat, ripple, frequency, safety against saturation."""


def cheapest_relaxation(design: Design, core: str, as_built: Mapping[str, Measured] | None = None) -> str:
    """One sentence: the first change of `STEPS` with which a design on `core` meets everything, or that none does."""
    need: Requirement = design.requirement
    catalogue: Catalogue = design.catalogue
    for id, value in STEPS:
        row = design.rows.get(id)
        if row is None or row.value == value or id in design.pins:
            continue
        trial = size(need, {**design.pins, "transformer.core": core, id: value}, as_built, catalogue)
        if trial.feasible:
            shown = value if isinstance(value, str) else show(value, design.decision_specs[id].unit)
            return f"{core} would do with {design.decision_specs[id].label.lower()} {shown}"
    return f"{core}: no single change tried admits it"
