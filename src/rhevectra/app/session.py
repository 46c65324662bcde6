"""The open project: document, design, history, held reference. No interface in here; the window shows what this holds."""

from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from pathlib import Path
from time import perf_counter
from typing import Any

import numpy as np
from msgspec import Struct
from msgspec.structs import replace

from rhevectra.core.basis.decisions import DecisionSpec, Measured
from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.design import Design
from rhevectra.core.design.names import amount
from rhevectra.project import store
from rhevectra.project.document import Document
from rhevectra.project.log import READING, Entry
from rhevectra.project.reorder import reordered

BURST = 1.5
"""Nudges of one decision that follow each other within this many seconds are one edit."""
RECENT = 8
"""Designs that are kept: what is taken back, done again or tried anew shortly after stands at once."""


class Step(Struct, frozen=True):
    """One edit that can be taken back: its name, the document before it, and for a decision its id and its value then."""

    name: str
    document: Document
    key: str = ""
    start: str = ""


@dataclass
class Session:
    """One document with its design; every edit makes a new document, designs it, and is kept for undo.

    An edit that cannot be designed raises InputError and changes nothing. before: the design before the last edit,
    for showing what moved. reference: a design held for comparison. on_change: called with every new document.
    """

    document: Document
    catalogue: Catalogue
    path: Path | None = None
    design: Design = field(init=False)
    elapsed: float = 0.0
    past: list[Step] = field(default_factory=list)
    future: list[Step] = field(default_factory=list)
    saved: Document | None = None
    before: Design | None = None
    reference: Design | None = None
    on_change: Callable[[Document], None] | None = None
    _edited: float = field(default=-1e9, repr=False)
    _recent: list[tuple[Catalogue, Any, Design]] = field(default_factory=list, repr=False)

    def __post_init__(self) -> None:
        self.design = self._designed(self.document)
        self.saved = self.document

    @classmethod
    def open(cls, path: str | Path) -> "Session":
        """The session of a project file. Raises InputError."""
        document = store.load(path)
        return cls(document, store.catalogue_for(document, path), Path(path))

    @classmethod
    def of_text(cls, text: str, where: str) -> "Session":
        """A session of a project text that has no file yet (a demo, a recovered project)."""
        from rhevectra.project.codec import decode

        document = decode(text, where)
        return cls(document, store.catalogue_for(document))

    def _designed(self, document: Document) -> Design:
        start = perf_counter()
        design = self._sized(document.requirement, document.decisions, document.as_built)
        self.elapsed = perf_counter() - start
        return design

    def _sized(self, requirement: Requirement, pins: Mapping[str, Any], as_built: Mapping[str, Measured] | None = None) -> Design:
        from rhevectra.core.design.size import size  # not read where another process has opened the session

        given = requirement, dict(pins), dict(as_built or {})
        known = next((d for c, asked, d in self._recent if c is self.catalogue and asked == given), None)
        design = size(requirement, pins, as_built, self.catalogue) if known is None else known
        self._recent = [(self.catalogue, given, design), *(r for r in self._recent if r[2] is not design)][:RECENT]
        return design

    def _edit(self, step: Step, document: Document, burst: bool = False) -> None:
        if document == self.document:
            return
        design, now = self._designed(document), perf_counter()
        last = self.past[-1] if self.past else None
        if burst and last is not None and last.key == step.key and now - self._edited < BURST:
            self.past[-1] = replace(last, name=step.name.replace(step.start, last.start, 1))
        else:
            self.past.append(step)
            self.before = self.design
        self._edited = now
        self.future.clear()
        self._take(document, design)

    def _take(self, document: Document, design: Design) -> None:
        self.document, self.design = document, design
        if self.on_change is not None:
            self.on_change(document)

    def _spec(self, id: str) -> DecisionSpec:
        """The decision of that id; one asked for while another edit took its stage away is refused."""
        if id not in self.design.decision_specs:
            raise InputError(f"decisions.{id}", "this design has no such decision", "a decision of its topology, front end and clamp")
        return self.design.decision_specs[id]

    def _text_of(self, id: str, value: Any) -> str:
        return value if isinstance(value, str) else amount(self._spec(id), float(value))

    def pin(self, id: str, value: Any, burst: bool = False) -> None:
        """Pin a decision; a burst of nudges is one edit. Raises InputError where the value cannot be used."""
        row = self.design.rows.get(id)
        old, new = "" if row is None else self._text_of(id, row.value), self._text_of(id, value)
        step = Step(f"{self._spec(id).label} {old} → {new}", self.document, id, old)
        self._edit(step, self.document.pin(id, value), burst)

    def foresee(self, id: str, value: Any) -> None:
        """Design what a pin would give, and change nothing: it stands at once when it is asked for. Raises InputError."""
        document = self.document.pin(id, value)
        self._sized(document.requirement, document.decisions, document.as_built)

    def pin_all(self, values: Mapping[str, Any], burst: bool = False) -> None:
        """Pin several decisions as one edit, named by them; what goes on with the drag before it belongs to that edit."""
        if burst:
            self._edited = perf_counter()  # however long the mark rested on the way
        name = ", ".join(f"{self._spec(id).label} {self._text_of(id, v)}" for id, v in values.items())
        self._edit(Step(name, self.document, " ".join(values)), self.document.decide({**self.document.decisions, **values}), burst)

    def free(self, id: str) -> None:
        """Remove a pin."""
        self._edit(Step(f"{self._spec(id).label} follows its rule", self.document), self.document.free(id))

    def decide(self, name: str, decisions: Mapping[str, Any]) -> None:
        """Take other pins altogether, as one named edit."""
        self._edit(Step(name, self.document), self.document.decide(decisions))

    def require(self, requirement: Requirement, title: str | None = None) -> None:
        """Change the requirement."""
        self._edit(Step("requirement", self.document), self.document.require(requirement, title))

    def reorder(self, order: Sequence[int], regulated: int) -> None:
        """Take the outputs of these places, in this order, that of one place regulated; their decisions and readings go with them."""
        outs, main = self.document.requirement.outputs, self.document.requirement.main
        gone = [o.name for k, o in enumerate(outs) if k not in order]
        name = (f"without {', '.join(gone)}" if gone else f"{outs[regulated].name} regulated" if regulated != main
                else f"outputs in the order {', '.join(outs[k].name for k in order)}")
        self._edit(Step(name, self.document), reordered(self.document, order, regulated))

    def keep_parts(self, table: str, rows: Sequence[Mapping[str, Any]], without: Collection[str] = ()) -> Path:
        """Keep rows among the person's own parts; the project is designed with them at once. Raises InputError where they cannot be
        kept."""
        path = store.keep_parts(table, rows, without)
        self.catalogue = store.catalogue_for(self.document, self.path)
        self.design = self._designed(self.document)
        return path

    def measure(self, id: str, reading: Measured | None) -> None:
        """Enter or take back a reading."""
        label = self.design.specs[id].label if id in self.design.specs else id
        what = "taken back" if reading is None else show(reading.value, self.design.rows[id].unit if id in self.design.rows else "")
        name, row = f"reading of {label}: {what}", self.design.rows.get(id)
        expected = row.estimate if row is not None and row.estimate is not None else row
        told = {} if expected is None or isinstance(expected.value, str) else {id: float(np.max(expected.value))}
        self._edit(Step(name, self.document), self.document.measure(id, reading))
        if reading is None:
            self.record(READING, name)
        else:
            self.record(READING, f"{name} ({reading.how})" if reading.how else name, {id: reading.value}, told)

    def record(self, kind: str, text: str, values: Mapping[str, float] | None = None, expected: Mapping[str, float] | None = None) -> None:
        """Add an entry to the bench log, with the time it is now. No edit: undo leaves it alone."""
        self.document = self.document.record(
            Entry(datetime.now().astimezone().isoformat(timespec="seconds"), kind, text, values or {}, expected or {}).tree())
        if self.on_change is not None:
            self.on_change(self.document)

    def undo(self) -> str | None:
        """Take the last edit back; its name, or None."""
        return self._step(self.past, self.future)

    def redo(self) -> str | None:
        """Do the edit again that was taken back; its name, or None."""
        return self._step(self.future, self.past)

    def _step(self, source: list[Step], target: list[Step]) -> str | None:
        if not source:
            return None
        step = source.pop()
        target.append(replace(step, document=self.document))
        self.before, self._edited = None, -1e9
        readings = self.document.as_built
        self._take(replace(step.document, log=self.document.log), self._designed(step.document))
        if readings != self.document.as_built:
            self.record(READING, f"{'taken back' if target is self.future else 'done again'}: {step.name}")
        return step.name

    def hold(self) -> None:
        """Hold the present design as the reference, or release the one that is held."""
        self.reference = None if self.reference is not None else self.design

    def hold_pins(self, pins: Mapping[str, Any]) -> None:
        """Hold the design that other pins give for the same requirement. Raises InputError."""
        self.reference = self._sized(self.document.requirement, pins)

    @property
    def changed(self) -> bool:
        """Something is not saved."""
        return self.document != self.saved

    def save(self, path: str | Path | None = None) -> None:
        """Write the document. Raises InputError where it cannot be written; nothing is lost then."""
        target = Path(path) if path is not None else self.path
        if target is None:
            raise ValueError("no file named")
        store.save(self.document, target)
        self.path, self.saved = target, self.document
