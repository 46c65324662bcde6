"""The immutable result: rows, figures judged on their domains, findings, decisions."""

from collections.abc import Mapping
from typing import Any

import numpy as np
from msgspec import Struct, field
from msgspec.structs import replace

from rhevectra.core.basis.corners import FULL, Corner, Grid, pick
from rhevectra.core.basis.decisions import DecisionSpec, Measured
from rhevectra.core.basis.errors import InputError, nearest
from rhevectra.core.basis.findings import MUST_FIX, Finding
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.basis.sheet import Row
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.stages.work import FigureSpec

TIGHT = 0.10


class Figure(Struct, frozen=True):
    """A judged number: worst value over its domain, the corner that causes it, limit and margin there."""

    id: str
    label: str
    symbol: str
    unit: str
    stage: str
    value: Any
    corner: Corner | None
    limit: float | None
    limit_kind: str | None
    margin: float | None
    origin: str
    spec: FigureSpec

    @property
    def word(self) -> str:
        """over, tight, inside, or empty where there is no limit."""
        if self.margin is None:
            return ""
        return "over" if self.margin < 0 else "tight" if self.margin < TIGHT else "inside"


def margin_of(value: Any, limit: Any, kind: str) -> Any:
    """Share of the limit that is left; negative when it is exceeded. Numbers, or arrays that broadcast."""
    distance = (limit - value) if kind == "max" else (value - limit)
    return distance / np.maximum(np.abs(limit), 1e-12)


class Design(Struct, frozen=True):
    """One design. delivered: the requirement with outputs as the power stage gives them, before their linear regulators, the same where
    there are none; rows: every number by id; specs: how figures are judged; context: what pictures and netlist need; unasked: pins that
    nothing in it asks for, kept where they can be freed and out of the rows, whose presence tells what there is."""

    requirement: Requirement
    delivered: Requirement
    topology: str
    front_end: str
    clamp: str
    grid: Grid
    rows: Mapping[str, Row]
    specs: Mapping[str, FigureSpec]
    decision_specs: Mapping[str, DecisionSpec]
    pins: Mapping[str, Any]
    as_built: Mapping[str, Measured]
    findings: tuple[Finding, ...]
    plates: tuple[tuple[str, str, str], ...]
    losses: Mapping[str, Row]
    catalogue: Catalogue
    context: Mapping[str, Any]
    unasked: Mapping[str, Row] = field(default_factory=dict)
    _cache: dict[str, Figure] = field(default_factory=dict)

    @property
    def feasible(self) -> bool:
        return not any(f.severity == MUST_FIX for f in self.findings)

    @property
    def fault(self) -> str:
        """The first thing that must be fixed; empty where it is feasible."""
        return next((f.text for f in self.findings if f.severity == MUST_FIX), "")

    def row(self, id: str) -> Row:
        """A row by id (InputError naming near ids)."""
        found = self.rows.get(id) or self.unasked.get(id)
        if found is None:
            near = nearest(id, self.rows, 3)
            raise InputError("id", f"{id!r} is not a figure or decision of this design", ", ".join(near) or "an id printed by size --json")
        return found

    def figure(self, id: str) -> Figure:
        """The judged figure of an id; worked out once."""
        if id not in self._cache:
            self._cache[id] = judge(self.specs[id], self.rows, self.grid)
        return self._cache[id]

    @property
    def figure_ids(self) -> tuple[str, ...]:
        return tuple(id for id in self.specs if id in self.rows)

    def figures(self, stage: str | None = None) -> list[Figure]:
        """All figures, or those of one stage, in the order they are declared."""
        return [self.figure(id) for id in self.figure_ids if stage is None or self.specs[id].stage == stage]

    def value(self, id: str) -> Any:
        """Worst value of a figure, or the plain value of a row."""
        return self.figure(id).value if id in self.specs and id in self.rows else self.row(id).value

    def most(self, id: str) -> float:
        """Worst value of a figure over its own corners, or greatest value of a row at full load."""
        if id in self.figure_ids:
            return float(self.figure(id).value)
        return float(np.max(np.broadcast_to(np.asarray(self.rows[id].value, dtype=float), self.grid.shape)[FULL.mask(self.grid)]))

    def count(self, part: str) -> int:
        """How many like parts of that name there are."""
        return int(self.rows[f"{part}.count"].value) if f"{part}.count" in self.rows else 1

    def decisions(self, stage: str | None = None) -> list[tuple[DecisionSpec, Row]]:
        """Decisions that were taken in this design, and pins it does not ask for, in the order people decide."""
        rows = {**self.rows, **self.unasked}
        return [(spec, rows[id]) for id, spec in self.decision_specs.items()
                if id in rows and rows[id].kind in ("chosen", "given") and (stage is None or spec.stage == stage)]


def exceeded(spec: FigureSpec, rows: Mapping[str, Row], grid: Grid) -> bool:
    """Whether a figure that has a limit breaks it anywhere on its domain; cheaper than judging it."""
    row, limit = rows.get(spec.id), rows.get(spec.limit)
    if row is None or limit is None:
        return False
    over = row.value > limit.value if spec.limit_kind == "max" else row.value < limit.value
    return bool(over) if not isinstance(over, np.ndarray) else bool(np.count_nonzero(over)) and bool((over & spec.domain.mask(grid)).any())


def least_margin(spec: FigureSpec, rows: Mapping[str, Row], grid: Grid) -> float:
    """Least margin on its domain of a figure that has a limit; cheaper than judging it."""
    margin = np.asarray(margin_of(rows[spec.id].value, rows[spec.limit].value, spec.limit_kind))
    return float(margin.ravel()[spec.domain.places(grid, margin.shape)[0]].min()) if margin.ndim else float(margin)


def judge(spec: FigureSpec, rows: Mapping[str, Row], grid: Grid) -> Figure:
    """Worst value of a row over its domain, with the corner and the margin there."""
    row = rows[spec.id]
    limit_row = rows.get(spec.limit)
    origin = row.origin or "computed"
    if isinstance(row.value, str):
        return Figure(spec.id, spec.label, spec.symbol, row.unit, spec.stage, row.value, None, None, None, None, origin, spec)
    array = np.asarray(row.value, dtype=float)
    score = array if limit_row is None else array - limit_row.value
    index: tuple[int, ...] = (0, 0, 0, 0)
    if score.ndim:
        places, corners = spec.domain.places(grid, score.shape)
        if len(corners):
            there = score.ravel()[places]
            index = tuple(int(i) for i in np.unravel_index(corners[there.argmax() if spec.worst == "max" else there.argmin()], grid.shape))
    value = pick(array, index)
    limit = pick(limit_row.value, index) if limit_row is not None else None
    kind = spec.limit_kind if limit is not None else None
    margin = float(margin_of(value, limit, spec.limit_kind)) if limit is not None else None
    corner = spec.domain.named(grid.corner(index)) if array.ndim else None
    return Figure(spec.id, spec.label, spec.symbol, row.unit, spec.stage, value, corner, limit, kind, margin, origin, spec)


def figure_at(design: Design, figure: Figure, corner: Corner) -> Figure:
    """A figure as it is at one corner; its margin counts only where the figure is judged, and one of a single load or case is told only
    there."""
    row, limit_row = design.rows[figure.id], design.rows.get(figure.spec.limit)
    if isinstance(row.value, str):
        return figure
    value: Any = float(row.at(corner.index))
    judged = bool(figure.spec.domain.mask(design.grid)[corner.index])
    if not judged and figure.spec.domain.special:
        value = "–"
    limit = float(limit_row.at(corner.index)) if limit_row is not None and judged else None
    margin = float(margin_of(value, limit, figure.spec.limit_kind)) if limit is not None else None
    return replace(figure, value=value, corner=figure.spec.domain.named(corner) if figure.corner is not None else None, limit=limit,
                   limit_kind=figure.spec.limit_kind if limit is not None else None, margin=margin)
