"""Slow pictures from a worker: exact waveforms, fields. The newest request wins, a superseded one is dropped between its steps."""

from collections.abc import Callable, Iterator
from importlib import import_module
from typing import Any

from PySide6.QtCore import QObject, QThread, QTimer, Signal

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design

PAUSE = 120
"""Milliseconds without a new request before the worker starts: nudging never queues work."""
Work = Callable[[Design, Any], Iterator[tuple[int, int, Any]]]
"""Steps of (done, total, result) for a design, at a corner where they are of one; the last has the result."""


def _late(module: str, name: str) -> Work:
    """Steps of a module of the core that is loaded when somebody first asks."""
    def steps(design: Design, corner: Corner | None) -> Iterator[tuple[int, int, Any]]:
        return getattr(import_module(f"rhevectra.core.{module}"), name)(design, corner)
    return steps


exact_map_steps = _late("design.exact_map", "exact_map_steps")
over_load_steps = _late("design.clamps", "over_load_steps")
frequency_steps = _late("design.frequency_choice", "frequency_steps")
range_steps = _late("design.input_range", "range_steps")
ripple_steps = _late("design.ripple_loss", "ripple_steps")
freeing_steps = _late("design.freeing", "freeing_steps")
slow_diode_steps = _late("design.slow_diode", "slow_diode_steps")


def exact_steps(design: Design, corner: Corner) -> Iterator[tuple[int, int, Any]]:
    """The exact period of a design at a corner."""
    from rhevectra.core.design.exact import exact_steps as steps

    run = steps(design, corner)
    while True:
        try:
            next(run)
        except StopIteration as end:
            yield 1, 1, end.value
            return
        yield 1, 1, None  # a request that is superseded ends here; most are found before anybody could read how far they are


def field_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, Any]]:
    """The field in the winding window of a design."""
    from rhevectra.core.magnetics.window_field import field_steps as steps

    return steps(design)


def order_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, Any]]:
    """The windings of a design in the usual orders."""
    from rhevectra.core.magnetics.compare import alternative_steps
    from rhevectra.core.topologies.common.winding import wires

    return alternative_steps(design.context["plan"], str(design.rows["transformer.arrangement"].value), wires(design.catalogue))


def matrix_steps(design: Design, _corner: Corner) -> Iterator[tuple[int, int, Any]]:
    """The transformer of a design split in several."""
    from rhevectra.core.magnetics.matrix import matrix_steps as steps
    from rhevectra.core.magnetics.windows import windows
    from rhevectra.core.topologies.common.winding import wires

    cores = design.catalogue["cores"]
    return steps(design.context["plan"], cores.derived(windows), wires(design.catalogue), cores, design.pins.get("transformer.core"))


class _Worker(QThread):
    stepped = Signal(int, int)
    done = Signal(object, object, str)

    def __init__(self, work: Work, design: Design, corner: Corner | None, parent: QObject) -> None:
        super().__init__(parent)
        self.work, self.design, self.corner, self.cancelled = work, design, corner, False

    def run(self) -> None:
        from rhevectra.core.circuit.parts import NoSteadyState

        try:
            for done, total, result in self.work(self.design, self.corner):
                self.stepped.emit(done, total)
                if self.cancelled:
                    return
                if result is not None:
                    self.done.emit(self, result, "")
        except (NoSteadyState, ArithmeticError, ValueError) as problem:
            self.done.emit(self, None, str(problem))


class Feed(QObject):
    """Asks for the work on a design at a corner; emits (design, result or None, why not), and how far it is."""

    found = Signal(object, object, str)
    progress = Signal(int, int)

    def __init__(self, work: Work, parent: QObject | None = None, of_corner: bool = False) -> None:
        """of_corner: what is found for one corner is of no use at another."""
        super().__init__(parent)
        self._work, self._of_corner = work, of_corner
        self.waits: Callable[[], bool] = lambda: False
        """Whether a design is being made, that will ask for this anew."""
        self._wanted: tuple[Design, Corner | None] | None = None
        self._worker: _Worker | None = None
        self._timer = QTimer(self, singleShot=True, interval=PAUSE)
        self._timer.timeout.connect(self._start)

    def want(self, design: Design, corner: Corner | None = None) -> None:
        """The design now on screen, and the corner where the work is of one; what is under way for another ends after its step."""
        self._wanted = (design, corner)
        if self._worker is not None and (
                self._worker.design is not design or (self._of_corner and self._worker.corner != corner)):
            self._worker.cancelled = True
        self._timer.start()

    @property
    def busy(self) -> bool:
        """A solution is under way or about to start."""
        return self._timer.isActive() or self._worker is not None

    def _start(self) -> None:
        if self._worker is not None or self._wanted is None:
            return
        if self.waits():
            self._timer.start()
            return
        self._worker = _Worker(self._work, *self._wanted, self)
        self._worker.stepped.connect(self.progress)
        self._worker.done.connect(self._done)
        self._worker.finished.connect(self._finished)
        self._worker.start()

    def _done(self, worker: _Worker, result: Any, why: str) -> None:
        if self._wanted is not None and worker.design is self._wanted[0] and worker.corner == self._wanted[1]:
            self._wanted = None
            self.found.emit(worker.design, result, why)

    def _finished(self) -> None:
        worker, self._worker = self._worker, None
        if worker is not None:
            worker.deleteLater()
        if self._wanted is not None:
            self._timer.start()

    def cancel(self) -> None:
        """Forget what was wanted; the work ends after its step."""
        self._timer.stop()
        self._wanted = None
        if self._worker is not None:
            self._worker.cancelled = True
            self.progress.emit(1, 1)

    def stop(self) -> None:
        """The same, and wait for the worker."""
        self.cancel()
        if self._worker is not None:
            self._worker.wait()
