"""Changes of the open project, one after the other, in a thread: the window goes on while a long design is made."""

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThread

PATIENCE = 30
"""Milliseconds the window waits for a change before it goes on: a quick design is on screen at once, without a flicker."""
Change = Callable[[], Any]
Then = Callable[[Any, Exception | None], None]
"""Told what a change gave, or what it raised."""


class _Worker(QThread):
    def __init__(self, change: Change, then: Then, parent: QObject) -> None:
        super().__init__(parent)
        self._change, self.then = change, then
        self.result: Any = None
        self.problem: Exception | None = None

    def run(self) -> None:
        try:
            self.result = self._change()
        except Exception as problem:  # told or raised where the change was asked for
            self.problem = problem


class Changing(QObject):
    """Makes changes in the order in which they are asked for; of those of one key that wait one behind the other only the newest is made.

    While one is made nobody else changes the project: what would is asked for here too.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.patience = PATIENCE
        self._worker: _Worker | None = None
        self._waiting: list[tuple[str, Change, Then]] = []

    @property
    def busy(self) -> bool:
        """A change is being made."""
        return self._worker is not None

    def ask(self, change: Change, then: Then, key: str = "") -> None:
        """Make a change, then tell how it ended. key: it replaces the last one that waits where that has the same."""
        if key and self._waiting and self._waiting[-1][0] == key:
            self._waiting.pop()
        self._waiting.append((key, change, then))
        if self._worker is None:
            self._next(self.patience)

    def _next(self, patience: int) -> None:
        _key, change, then = self._waiting.pop(0)
        worker = self._worker = _Worker(change, then, self)
        worker.finished.connect(lambda: self._ended(worker))
        worker.start()
        if patience and worker.wait(patience):
            self._ended(worker)

    def _ended(self, worker: _Worker) -> None:
        if worker is not self._worker:  # told already: it was waited for, or stopped
            return
        self._worker = None
        worker.deleteLater()
        try:
            worker.then(worker.result, worker.problem)
        finally:
            if self._waiting and self._worker is None:
                self._next(0)  # what has ended is painted before

    def settle(self) -> None:
        """Wait until every change asked for is made and told."""
        while self._worker is not None:
            self._worker.wait()
            self._ended(self._worker)

    def stop(self) -> None:
        """Forget what waits and wait for what is being made; nobody is told."""
        self._waiting.clear()
        worker, self._worker = self._worker, None
        if worker is not None:
            worker.wait()
            worker.deleteLater()
