"""A design as JSON-ready data and as readable lines."""

from typing import Any

import numpy as np

from rhevectra.app.vocabulary import called
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.findings import LOOK_AT
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.working import explain
from rhevectra.core.design.design import Design, Figure
from rhevectra.core.design.relax import cheapest_relaxation
from rhevectra.project.codec import plain


def figure_data(figure: Figure) -> dict[str, Any]:
    """One figure after the contract."""
    value = figure.value if isinstance(figure.value, str) else float(figure.value)
    return {"id": figure.id, "label": figure.label, "symbol": figure.symbol, "value": plain(value), "unit": figure.unit,
            "corner": figure.corner.as_dict() if figure.corner else None,
            "limit": plain(figure.limit), "limit_kind": figure.limit_kind, "margin": plain(figure.margin), "word": figure.word,
            "origin": figure.origin, "judged_on": figure.spec.domain.text, "not_varied": figure.spec.fixed}


def decision_data(design: Design) -> list[dict[str, Any]]:
    """All decisions with value, origin and rule."""
    out = []
    for spec, row in design.decisions():
        value = row.value if isinstance(row.value, str) else float(np.asarray(row.value))
        out.append({"id": spec.id, "label": spec.label, "value": value, "unit": spec.unit, "origin": row.origin or "rule", "rule": row.rule,
                    "refused": list(row.refused)})
    return out


def as_json(design: Design, elapsed: float) -> dict[str, Any]:
    """The object that `size --json` prints."""
    return {"feasible": design.feasible, "topology": design.topology, "front_end": design.front_end, "elapsed": elapsed,
            "figures": [figure_data(f) for f in design.figures()],
            "findings": [{"severity": f.severity, "stage": f.stage, "text": f.text, "figure": f.figure, "cure": f.cure}
                         for f in design.findings], "decisions": decision_data(design)}


def verdict(design: Design) -> str:
    """Whether it can be built, and how much there is to look at besides, in words."""
    looks = sum(f.severity == LOOK_AT for f in design.findings)
    return ("feasible" + (f", {looks} to look at" if looks else "")) if design.feasible else "INFEASIBLE: see findings"


def lines(design: Design, elapsed: float) -> list[str]:
    """The readable listing that `size` prints."""
    head = f"{design.topology} · {verdict(design)} · {elapsed * 1e3:.1f} ms"
    out = [head, ""]
    for figure in design.figures():
        value = figure.value if isinstance(figure.value, str) else show(figure.value, figure.unit, 4)
        limit = "" if figure.limit is None else f"{'≤' if figure.limit_kind == 'max' else '≥'} {show(figure.limit, figure.unit, 4)}"
        out.append(f"{figure.id:30} {value:>14}  {limit:>14} {figure.word:7} {figure.corner.text() if figure.corner else ''}".rstrip())
    out += ["", *(f"{f.severity}: {f.text}" for f in design.findings)]
    return out


def explanation(design: Design, id: str, depth: int = 2) -> list[str]:
    """Working of one id, and of what it depends on down to a depth. Raises InputError for an unknown id."""
    if id not in design.rows:
        labels = {i: s.label for i, s in design.decision_specs.items() if i in design.rows} | {
            i: s.label for i, s in design.specs.items() if i in design.rows}
        if near := called(id, labels)[:3]:
            raise InputError("id", f"{id!r} is not a figure or decision of this design", ", ".join(f"{i} ({labels[i]})" for i in near))
        design.row(id)
    index = None
    spec = design.specs.get(id)
    text: list[str] = []
    if spec is not None:
        figure = design.figure(id)
        index = figure.corner.index if figure.corner else None
        where = figure.corner.text() if figure.corner else "the same at every corner"
        text.append(f"{figure.label}: judged on {spec.domain.text}; shown at {where}"
                    + (f"; not varied: {spec.fixed}" if spec.fixed else ""))
    seen: set[str] = set()
    _tell(design, id, index, 0, depth, text, seen, spec.sentence if spec else "")
    if id == "transformer.core":
        text += [cheapest_relaxation(design, r.split(":")[0]) for r in design.rows[id].refused[:2]]
    return text


def _tell(design: Design, id: str, index: Any, level: int, depth: int, text: list[str], seen: set[str], sentence: str) -> None:
    if id in seen or id not in design.rows:
        return
    seen.add(id)
    w = explain(design.rows[id], index, sentence)
    pad = "  " * level
    text.append(f"{pad}{w.id} = {w.value}" + (f"   {w.sentence}" if w.sentence else ""))
    text.extend(f"{pad}  {part}" for part in (w.equation, w.numbers) if part)
    if w.equation and w.source:
        text.append(f"{pad}  source: {w.source}")
    text.extend(f"{pad}  refused {r}" for r in w.refused)
    if level < depth:
        for _symbol, link, _value in w.links:
            _tell(design, link, index, level + 1, depth, text, seen, "")


