"""The whole design on paper: what was asked, what came of it, every stage with its picture, decisions and figures, the ratings, the parts,
the steps of bringing it up."""

from rhevectra.app import parts, ratings
from rhevectra.app.cautions import CAUTIONS
from rhevectra.app.changes import text_of
from rhevectra.app.stages import Plate, plates
from rhevectra.bench.bringup import plan
from rhevectra.core.basis.corners import Corner
from rhevectra.core.basis.quantities import margin_text, minus, show
from rhevectra.core.basis.requirement import Output, Requirement
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import decided, made_by, spoken
from rhevectra.drawing import sheet
from rhevectra.drawing.display import Picture
from rhevectra.drawing.magnetic import cross_section
from rhevectra.drawing.paper import EDGE, PAGE, Paper
from rhevectra.drawing.pictures import PICTURES, pictures_of

WIDE, HIGH = PAGE[0] - 2 * EDGE, 84.0
"""Room of a stage's picture [mm]."""
HARMONIC = "inlet.harmonic_"
SHOWN = {"inlet": ("harmonics",), "pfc": ("envelope",), "bulk": ("line",), "switch": ("period",), "transformer": ("window",),
         "clamp": ("transient",), "rectifier": ("circuit",), "feedback": ("loop",), "load": ("loss", "efficiency", "heat")}
"""The pictures that stand for a stage, where its design offers them."""


def whole(design: Design, title: str) -> tuple[Picture, ...]:
    """The pages, and the winding sheet behind them where there is a transformer. title: of the project."""
    return (*pages(design, title), *(sheet.pages(design, title) if sheet.has_sheet(design) else ()))


def pages(design: Design, title: str) -> tuple[Picture, ...]:
    """Summary, a page or more for every stage, ratings, parts and the steps of bringing it up. title: of the project."""
    paper = Paper(title, "Design")
    path = plates(design)
    _summary(paper, design, path)
    for plate in path:
        _stage(paper, design, plate)
    paper.start("ratings")
    paper.titled("Every limit, stage by stage, the tightest first; of the line current's harmonics the tightest alone")
    rated, seen = [], set[str]()
    for r in ratings.ratings(design):
        kind = r.id.rstrip("0123456789")
        if kind != HARMONIC or kind not in seen:
            rated.append((r.stage, r.what, r.worst, r.limit, _margin(r.margin, r.word), r.where, r.rule))
        seen.add(kind)
    paper.table(("stage", "what", "worst", "limit", "margin", "at", "limit by"), (20, 36, 18, 20, 15, 33, 40), rated)
    paper.start("parts")
    paper.titled("Parts of the power path, by generic class")
    paper.table(("kind", "class or value", "count"), (80, 70, 32), [(kind, value, str(count)) for kind, value, count in parts.rows(design)])
    _bring_up(paper, design)
    return paper.numbered()


def _bring_up(paper: Paper, design: Design) -> None:
    """The steps of bringing it up, with room for what is read."""
    paper.start("bring-up")
    for k, step in enumerate(plan(design), 1):
        paper.titled(f"{k}  {step.name}")
        paper.noted(step.do)
        if step.checks:
            paper.y += 1.5
            paper.table(("reading", "at", "how", "expected", "read"), (38, 37, 49, 35, 23),
                        [(c.name, c.at, c.how, c.band, "") for c in step.checks])
        paper.y += 4.0


def _summary(paper: Paper, design: Design, path: list[Plate]) -> None:
    """What was asked, the energy path, the findings, the cautions."""
    front = f" behind {spoken(design.front_end)}" if not design.requirement.is_dc else ""
    paper.start(f"{spoken(design.topology)}{front}")
    paper.titled("Asked for")
    paper.table(("what", "value"), (50, 132), asked(design.requirement))
    paper.titled("What came of it" if design.feasible else "What came of it: CANNOT BE BUILT as it stands, see the findings")
    told = [(p.name, p.telling, p.lost if p.watts else "–", "–" if p.margin is None else _margin(p.margin, p.word))
            for p in path]
    paper.table(("stage", "telling figure", "lost, full load", "tightest margin"), (56, 56, 34, 36), told)
    paper.titled("Findings")
    paper.noted([f"{f.severity}: {f.text}" for f in design.findings] or ["none"])
    paper.y += 4.0
    paper.titled("Cautions")
    paper.noted([CAUTIONS])


def asked(need: Requirement) -> list[tuple[str, str]]:
    """The requirement in words."""
    m = need.mains
    source = {"ac1": "mains", "ac3": "three-phase mains, between lines", "dc": "dc source"}[m.kind]
    rows = [(source, f"{m.v_min:g} to {m.v_max:g} V" + ("" if need.is_dc else f", {m.f_min:g} to {m.f_max:g} Hz; nominal "
                                                        f"{', '.join(f'{v:g}' for v in m.nominals)} V"))]
    rows += [(f"output {o.name}", _output(o)) for o in need.outputs]
    if not need.is_dc:
        rows.append(("hold-up", f"{show(need.hold_up, 's')} from {need.hold_up_at:g} V; harmonics class {need.harmonics_class}"))
    rows.append(("efficiency",
                 f"{100 * need.efficiency_wanted:.1f} % at full load" + ("" if need.efficiency_target is not None else ", as is usual")
                 + ("" if need.standby_power_max is None else f"; {show(need.standby_power_max, 'W')} without load")))
    between = minus(f"{need.ambient_min:g} to {need.ambient_max:g} °C")
    rows.append(("surroundings", f"{between}, cooling {need.cooling}, up to {need.altitude_max:g} m"))
    rows.append(("safety", f"{need.insulation} insulation, protection class {need.protection_class}, pollution degree "
                 f"{need.pollution_degree}, overvoltage category {need.overvoltage_category}"))
    limits = [f"{what} {show(value, unit)}"
              for what, value, unit in (("height at most", need.height_max, "m"), ("life of capacitors at least", need.lifetime, "s"))
              if value is not None]
    return [*rows, ("limits", ", ".join(limits))] if limits else rows


def _output(o: Output) -> str:
    """One output in a line."""
    adjusted = f" ({o.voltage_min:g} to {o.voltage_max:g} V)" if o.voltage_min != o.voltage_max else ""
    peak = (f", peak {show(o.current_peak or 0.0, 'A')} for {show(o.peak_duration or 0.0, 's')}" if (o.current_peak or 0.0) > o.current_max
            else "")
    return (f"{show(o.voltage, 'V')}{adjusted}, {show(o.current_min, 'A')} to {show(o.current_max, 'A')}{peak}, ripple "
            f"{show(o.ripple_pp or 0.0, 'V')} peak to peak, ± {100 * o.tolerance:g} %" + (", regulated" if o.regulated else ""))


def _stage(paper: Paper, design: Design, plate: Plate) -> None:
    """A stage: its pictures at the corner of its tightest figure, its decisions with their reasons, its figures."""
    paper.start(plate.name)
    figures, keys = design.figures(plate.stage), pictures_of(design, plate.stage)
    corner = _corner(design, plate.stage)
    for key in [key for key in SHOWN.get(plate.stage, ()) if key in keys] or keys[:1]:
        paper.room(HIGH + 10)
        drawn = cross_section(design, WIDE, HIGH) if key == "window" else PICTURES[key][1](design, corner, WIDE, HIGH, None)
        paper.placed(drawn, HIGH + 3)
        paper.page.text(PAGE[0] - EDGE, paper.y, f"{PICTURES[key][0].lower()}: {drawn.caption}"[:118], "muted", "right", 2.9)
        paper.y += 7
    taken = [(spec.label, decided(spec, row), made_by(row), "; ".join((row.rule, *(f"refused {r}" for r in row.refused[:3]))))
             for spec, row in design.decisions(plate.stage)]
    if taken:
        paper.titled("Decisions")
        paper.table(("decision", "value", "by", "why"), (52, 30, 16, 84), taken)
    if figures:
        paper.titled("Figures, each at its worst corner")
        paper.table(("figure", "worst", "limit", "margin", "at"), (50, 24, 23, 20, 65),
                    [(f.label, f.value if isinstance(f.value, str) else text_of(f.id, f.value, f.unit, 4), ratings.limit_of(f),
                      "" if f.margin is None else _margin(f.margin, f.word), f.corner.text() if f.corner else "") for f in figures])


def _corner(design: Design, stage: str) -> Corner:
    """The corner of the stage's tightest figure, or of the tightest of all."""
    for figures in (design.figures(stage), design.figures()):
        judged = [f for f in figures if f.margin is not None and f.corner is not None]
        if judged:
            found = min(judged, key=lambda f: f.margin or 0.0).corner
            assert found is not None
            return design.grid.corner(found.index)
    return design.grid.find(min(design.grid.lines))


def _margin(margin: float, word: str) -> str:
    """A margin with its word."""
    return f"{margin_text(margin)} {word}" if margin < 10.0 else f"> 10 × {word}"
