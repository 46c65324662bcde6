"""Changes of the open project, one after the other, in a thread: the window goes on while a long design is made."""

from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThread, QTimer

from rhevectra.core.basis.errors import InputError

PATIENCE = 30
"""Milliseconds the window waits for a change before it goes on: a quick design is on screen at once, without a flicker."""
REST = 50
"""Milliseconds of rest before what may be asked for next is made: a key held down never waits for it."""
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

    While one is made nobody else changes the project: what would is asked for here too. What may be asked for next can be made ahead, while
    nothing else is asked for.
    """

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.patience = PATIENCE
        self._worker: _Worker | None = None
        self._waiting: list[tuple[str, Change, Then]] = []
        self._ahead: _Worker | None = None
        self._next_ahead: Change | None = None
        self._rest = QTimer(self, singleShot=True, interval=REST)
        self._rest.timeout.connect(self._go_ahead)

    @property
    def busy(self) -> bool:
        """A change is being made, or waits."""
        return self._worker is not None and (self._worker is not self._ahead or bool(self._waiting))

    def ask(self, change: Change, then: Then, key: str = "") -> None:
        """Make a change, then tell how it ended. key: it replaces the last one that waits where that has the same."""
        self._rest.stop()
        if key and self._waiting and self._waiting[-1][0] == key:
            self._waiting.pop()
        self._waiting.append((key, change, then))
        if self._worker is None:
            self._next(self.patience)
        elif self._worker is self._ahead and self.patience and self._worker.wait(self.patience):
            self._ended(self._worker)

    def ahead(self, change: Change) -> None:
        """What may be asked for next, made after a rest and told to nobody; an InputError of it is told when it is asked for."""
        self._next_ahead = change
        self._rest.start()

    def _go_ahead(self) -> None:
        if self._worker is not None:
            self._rest.start()
        elif self._next_ahead is not None:
            change, self._next_ahead = self._next_ahead, None
            self._worker = self._ahead = self._started(change, _untold)

    def _next(self, patience: int) -> None:
        _key, change, then = self._waiting.pop(0)
        worker = self._worker = self._started(change, then)
        if patience and worker.wait(patience):
            self._ended(worker)

    def _started(self, change: Change, then: Then) -> _Worker:
        worker = _Worker(change, then, self)
        worker.finished.connect(lambda: self._ended(worker))
        worker.start()
        return worker

    def _ended(self, worker: _Worker) -> None:
        if worker is not self._worker:  # told already: it was waited for, or stopped
            return
        patience = self.patience if worker is self._ahead else 0  # what has ended is painted before the next
        self._worker = self._ahead = None
        worker.deleteLater()
        try:
            worker.then(worker.result, worker.problem)
        finally:
            if self._waiting and self._worker is None:
                self._next(patience)

    def settle(self) -> None:
        """Wait until every change asked for is made and told."""
        while self._worker is not None:
            self._worker.wait()
            self._ended(self._worker)

    def stop(self) -> None:
        """Forget what waits and wait for what is being made; nobody is told."""
        self._waiting.clear()
        self._rest.stop()
        worker, self._worker, self._ahead = self._worker, None, None
        if worker is not None:
            worker.wait()
            worker.deleteLater()


def _untold(_result: Any, problem: Exception | None) -> None:
    """What was made ahead is kept where it was made."""
    if problem is not None and not isinstance(problem, InputError):
        raise problem
