"""The table of ratings: every figure that has a limit, the corner that brings it nearest, the margin left and where the limit comes
from."""

from msgspec import Struct

from rhevectra.app.changes import text_of
from rhevectra.app.stages import path_of
from rhevectra.core.basis.working import explain
from rhevectra.core.design.design import Design, Figure
from rhevectra.project import table


class Rating(Struct, frozen=True):
    """One line: id of the figure, stage, what is rated, its worst value, the limit with its direction, the margin, its word, where, and by
    which rule."""

    id: str
    stage: str
    what: str
    worst: str
    limit: str
    margin: float
    word: str
    where: str
    rule: str


def ratings(design: Design) -> list[Rating]:
    """Stage by stage along the energy path, in each the tightest first."""
    stages = {stage: (k, name) for k, (stage, name, _) in enumerate(path_of(design))}
    judged = sorted((f for f in design.figures() if f.margin is not None),
                    key=lambda f: (stages.get(f.stage, (len(stages), ""))[0], f.margin))
    return [Rating(f.id, stages.get(f.stage, (0, f.stage))[1], f.label, text_of(f.id, f.value, f.unit), limit_of(f), float(f.margin or 0.0),
                   f.word, f.corner.text() if f.corner else "the same everywhere", _rule(design, f)) for f in judged]


def limit_of(figure: Figure) -> str:
    """Its limit with the direction; empty where it has none."""
    return "" if figure.limit is None else ("≤ " if figure.limit_kind == "max" else "≥ ") + text_of(figure.id, figure.limit, figure.unit)


def _rule(design: Design, figure: Figure) -> str:
    """Where the limit comes from, in a line."""
    w = explain(design.rows[figure.spec.limit], figure.corner.index if figure.corner else None)
    return "requirement" if w.sentence == "requirement: requirement" else w.sentence or f"{w.equation} ({w.source})"


def as_csv(design: Design) -> str:
    """The table under its columns."""
    return table.as_csv(("stage", "what", "worst value", "limit", "margin %", "word", "at", "rule"),
                        ((r.stage, r.what, r.worst, r.limit, f"{100 * r.margin:.1f}", r.word, r.where, r.rule) for r in ratings(design)))
