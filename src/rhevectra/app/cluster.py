"""Designs made on a cluster, by its scheduler's address: for explorations that would keep one machine busy for an hour."""

import importlib
from collections.abc import Mapping
from typing import Any

from rhevectra.core.basis.errors import InputError
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.contest import Entry, entry_of

PATIENCE = 10.0
"""How long the scheduler is waited for [s]."""


class Cluster:
    """Makers of designs whose workers are other machines; every one of them needs the same Rhevectra. Raises InputError where it cannot be
    reached."""

    def __init__(self, need: Requirement, catalogue: Catalogue | None, address: str) -> None:
        try:
            distributed: Any = importlib.import_module("distributed")
        except ImportError:
            raise InputError("--scheduler", "the package distributed is not installed",
                             "the extra of that name: pip install rhevectra[cluster], here and on every worker") from None
        try:
            self._client = distributed.Client(address, timeout=PATIENCE)
        except (OSError, TimeoutError, ValueError) as problem:
            raise InputError("--scheduler", f"{address!r} cannot be reached ({type(problem).__name__})",
                             "the address of a running scheduler such as tcp://host:8786") from None
        self._given = self._client.scatter((need, catalogue), broadcast=True, hash=False)
        self._made = distributed.as_completed(with_results=True)

    def __enter__(self) -> "Cluster":
        return self

    def __exit__(self, *_: object) -> None:
        self._client.close()

    def ask(self, tried: Mapping[str, Any]) -> None:
        """A design of these pins is wanted."""
        self._made.add(self._client.submit(_made, self._given, dict(tried), pure=False))

    def take(self) -> Entry:
        """The next that is made and measured."""
        _, entry = next(self._made)
        assert isinstance(entry, Entry)
        return entry


def _made(given: tuple[Requirement, Catalogue | None], tried: Mapping[str, Any]) -> Entry:
    """One design, on a worker."""
    return entry_of(*given, tried)
