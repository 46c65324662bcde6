"""The open project: document, design, history. No interface in here; the window shows what this holds."""

from dataclasses import dataclass, field
from pathlib import Path
from time import perf_counter
from typing import Any

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.quantities import show
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.design import Design
from rhevectra.core.design.size import size
from rhevectra.project import store
from rhevectra.project.document import Document


@dataclass
class Session:
    """One document with its design; every edit makes a new document, designs it, and is kept for undo.

    An edit that cannot be designed raises InputError and changes nothing.
    """

    document: Document
    catalogue: Catalogue
    path: Path | None = None
    design: Design = field(init=False)
    elapsed: float = 0.0
    past: list[tuple[str, Document]] = field(default_factory=list)
    future: list[tuple[str, Document]] = field(default_factory=list)
    saved: Document | None = None

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
        """A session of a project text that has no file yet (a demo)."""
        from rhevectra.project.codec import decode

        document = decode(text, where)
        return cls(document, store.catalogue_for(document))

    def _designed(self, document: Document) -> Design:
        start = perf_counter()
        design = size(document.requirement, document.decisions, document.as_built, self.catalogue)
        self.elapsed = perf_counter() - start
        return design

    def _edit(self, name: str, document: Document) -> None:
        if document == self.document:
            return
        design = self._designed(document)
        self.past.append((name, self.document))
        self.future.clear()
        self.document, self.design = document, design

    def pin(self, id: str, value: Any) -> None:
        """Pin a decision. Raises InputError where the value cannot be used."""
        spec, row = self.design.decision_specs[id], self.design.rows.get(id)
        old = "" if row is None else row.value if isinstance(row.value, str) else show(float(row.value), spec.unit)
        new = value if isinstance(value, str) else show(float(value), spec.unit)
        self._edit(f"{spec.label} {old} → {new}", self.document.pin(id, value))

    def free(self, id: str) -> None:
        """Remove a pin."""
        self._edit(f"{self.design.decision_specs[id].label} follows its rule", self.document.free(id))

    def require(self, requirement: Requirement, title: str | None = None) -> None:
        """Change the requirement."""
        self._edit("requirement", self.document.require(requirement, title))

    def measure(self, id: str, reading: Measured | None) -> None:
        """Enter or take back a reading."""
        self._edit(f"reading of {id}", self.document.measure(id, reading))

    def undo(self) -> str | None:
        """Take the last edit back; its name, or None."""
        return self._step(self.past, self.future)

    def redo(self) -> str | None:
        """Do the edit again that was taken back; its name, or None."""
        return self._step(self.future, self.past)

    def _step(self, source: list[tuple[str, Document]], target: list[tuple[str, Document]]) -> str | None:
        if not source:
            return None
        name, document = source.pop()
        target.append((name, self.document))
        self.document, self.design = document, self._designed(document)
        return name

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
