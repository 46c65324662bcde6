"""Exact waveforms from a worker: the newest request wins, a superseded one is dropped."""

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QThread, QTimer, Signal

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design

if TYPE_CHECKING:
    from rhevectra.core.design.exact import Exact

PAUSE = 120
"""Milliseconds without a new request before the worker starts: nudging never queues work."""


class _Worker(QThread):
    done = Signal(object, object, str)

    def __init__(self, design: Design, corner: Corner, parent: QObject) -> None:
        super().__init__(parent)
        self.design, self.corner = design, corner

    def run(self) -> None:
        from rhevectra.core.circuit.parts import NoSteadyState
        from rhevectra.core.design.exact import exact

        try:
            self.done.emit(self, exact(self.design, self.corner), "")
        except (NoSteadyState, ArithmeticError, ValueError) as problem:
            self.done.emit(self, None, str(problem))


class ExactFeed(QObject):
    """Asks for the exact period of a design at a corner; emits (design, Exact or None, why not)."""

    found = Signal(object, object, str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._wanted: tuple[Design, Corner] | None = None
        self._worker: _Worker | None = None
        self._timer = QTimer(self, singleShot=True, interval=PAUSE)
        self._timer.timeout.connect(self._start)

    def want(self, design: Design, corner: Corner) -> None:
        """The design and corner now on screen."""
        self._wanted = (design, corner)
        self._timer.start()

    @property
    def busy(self) -> bool:
        """A solution is under way or about to start."""
        return self._timer.isActive() or self._worker is not None

    def _start(self) -> None:
        if self._worker is not None or self._wanted is None:
            return
        self._worker = _Worker(*self._wanted, self)
        self._worker.done.connect(self._done)
        self._worker.finished.connect(self._finished)
        self._worker.start()

    def _done(self, worker: _Worker, result: "Exact | None", why: str) -> None:
        if self._wanted is not None and worker.design is self._wanted[0] and worker.corner == self._wanted[1]:
            self._wanted = None
            self.found.emit(worker.design, result, why)

    def _finished(self) -> None:
        worker, self._worker = self._worker, None
        if worker is not None:
            worker.deleteLater()
        if self._wanted is not None:
            self._timer.start()

    def stop(self) -> None:
        """Wait for the worker and forget what was wanted."""
        self._timer.stop()
        self._wanted = None
        if self._worker is not None:
            self._worker.wait()
