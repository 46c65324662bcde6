"""Long work in the background: one job at a time, with progress and cancel. The work itself is a plain generator."""

from collections.abc import Callable, Generator, Iterator
from typing import Any

from PySide6.QtCore import QObject, QThread, Signal


class _Worker(QThread):
    stepped = Signal(int, int, object)

    def __init__(self, steps: Iterator[tuple[int, int, Any]], parent: QObject) -> None:
        super().__init__(parent)
        self._steps, self.cancelled = steps, False

    def run(self) -> None:
        for done, total, result in self._steps:
            if self.cancelled:
                break
            self.stepped.emit(done, total, result)
        if isinstance(self._steps, Generator):
            self._steps.close()  # what it started ends with it


class Jobs(QObject):
    """Runs generators of (done, total, result). A new job cancels the one that runs; results of a cancelled job never arrive."""

    progress = Signal(str, int, int)
    ended = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker: _Worker | None = None
        self._name = ""

    @property
    def running(self) -> bool:
        """A job is under way."""
        return self._worker is not None

    def start(self, name: str, steps: Iterator[tuple[int, int, Any]], take: Callable[[Any], None]) -> None:
        """Run a generator; each result that is not None goes to `take` on the main thread."""
        self.cancel()
        worker = _Worker(steps, self)
        self._worker, self._name = worker, name

        def stepped(done: int, total: int, result: Any) -> None:
            if worker.cancelled:
                return
            if result is not None:
                take(result)
            self.progress.emit(name, done, total)
        worker.stepped.connect(stepped)
        worker.finished.connect(lambda: self._done(worker))
        worker.start()

    def _done(self, worker: _Worker) -> None:
        if worker is self._worker:
            self._worker = None
            self.ended.emit(self._name)
        worker.deleteLater()

    def cancel(self) -> None:
        """Stop the running job, if any, and wait for it: one step at most."""
        worker, self._worker = self._worker, None
        if worker is not None:
            worker.cancelled = True
            worker.wait()
            self.ended.emit(self._name)
