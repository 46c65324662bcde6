"""The project document: requirement, pinned decisions, readings, bench log, own parts. Immutable; edits make a new one."""

from collections.abc import Mapping
from typing import Any

from msgspec import Struct, field
from msgspec.structs import replace

from rhevectra.core.basis.decisions import Measured
from rhevectra.core.basis.requirement import Requirement

FORMAT, VERSION = "rhevectra-project", 1


class Document(Struct, frozen=True):
    """One state of a project. tree: the file's own JSON tree, over which the known fields are written on save."""

    title: str
    requirement: Requirement
    decisions: Mapping[str, Any] = field(default_factory=dict)
    as_built: Mapping[str, Measured] = field(default_factory=dict)
    log: tuple[Any, ...] = ()
    parts: Mapping[str, Any] = field(default_factory=dict)
    tree: Mapping[str, Any] = field(default_factory=dict)
    unknown: tuple[str, ...] = ()

    def pin(self, id: str, value: Any) -> "Document":
        """The document with one decision pinned."""
        return self._with(decisions={**self.decisions, id: value})

    def free(self, id: str) -> "Document":
        """The document with one pin removed."""
        return self._with(decisions={k: v for k, v in self.decisions.items() if k != id})

    def decide(self, decisions: Mapping[str, Any]) -> "Document":
        """The document with other pins altogether."""
        return self._with(decisions=dict(decisions))

    def measure(self, id: str, reading: Measured | None) -> "Document":
        """The document with a reading entered, or taken back."""
        kept = {k: v for k, v in self.as_built.items() if k != id}
        return self._with(as_built=kept if reading is None else {**kept, id: reading})

    def measured(self, readings: Mapping[str, Measured]) -> "Document":
        """The document with other readings altogether."""
        return self._with(as_built=dict(readings))

    def require(self, requirement: Requirement, title: str | None = None) -> "Document":
        """The document with another requirement."""
        return self._with(requirement=requirement, title=self.title if title is None else title)

    def record(self, entry: Mapping[str, Any]) -> "Document":
        """The document with one more entry in its log."""
        return self._with(log=(*self.log, dict(entry)))

    def _with(self, **changes: Any) -> "Document":
        return replace(self, **changes)
