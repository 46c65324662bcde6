"""The contest in worker processes, as many as there are processors; one after the other where there is only one or none can be started."""

import multiprocessing
import os
import pickle
import sys
import threading
from collections.abc import Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager
from functools import lru_cache
from time import perf_counter
from typing import Any

from rhevectra.app.machine import processors
from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.contest import Entry, Makers, OneByOne, contest, entry_of, example_of, ranked

MOST = 8
"""Most worker processes."""


@lru_cache(maxsize=1)
def _unpacked(packed: bytes) -> Any:
    return pickle.loads(packed)  # made by this program for its own workers


def _measured(need: Requirement, catalogue: Catalogue | None, tried: Mapping[str, Any]) -> tuple[Entry, float]:
    """A design measured, and the seconds it took."""
    start = perf_counter()
    return entry_of(need, catalogue, tried), perf_counter() - start


def _in_worker(packed: bytes, tried: Mapping[str, Any]) -> tuple[Entry, float]:
    need, catalogue = _unpacked(packed)
    return _measured(need, catalogue, tried)


def _watched() -> None:
    """In a worker: end with the process that started it, also where that one is killed and can tell nobody. (A worker holds both ends of
    the queue it reads, and would wait there for ever.)"""
    parent = multiprocessing.parent_process()
    assert parent is not None, "only a worker calls this"

    def wait_and_end() -> None:
        parent.join()
        os._exit(0)
    threading.Thread(target=wait_and_end, daemon=True).start()


def _may_fork() -> bool:
    """Whether a worker may be a copy of this process as it is, which takes milliseconds: only where no thread and no window could be caught
    half way."""
    return threading.active_count() == 1 and "PySide6.QtCore" not in sys.modules and "fork" in multiprocessing.get_all_start_methods()


class _Pool:
    """Worker processes, started once and kept for the next contest: copies of this process, or beside a window from a server that has read
    the core beforehand. Each is asked by itself, for each keeps its own answers."""

    def __init__(self) -> None:
        self._lock, self._workers = threading.Lock(), dict[int, list[ProcessPoolExecutor]]()

    def ready(self, count: int) -> tuple[ProcessPoolExecutor, ...]:
        """The workers that have started."""
        with self._lock:
            if count not in self._workers:
                self._workers[count] = []
                if _may_fork():
                    self._start("fork", count, self._workers[count])
                else:
                    threading.Thread(target=self._start, args=("forkserver", count, self._workers[count]), daemon=True).start()
            return tuple(self._workers[count])

    def _start(self, method: str, count: int, workers: list[ProcessPoolExecutor]) -> None:
        try:
            context = multiprocessing.get_context(method)
            if method == "forkserver":
                context.set_forkserver_preload(["rhevectra.core.design.contest"])
            started = [ProcessPoolExecutor(1, context, _watched) for _ in range(count)]
            for worker, began in [(worker, worker.submit(os.getpid)) for worker in started]:
                began.result()
                workers.append(worker)
        except (OSError, RuntimeError, ValueError, ImportError):  # no process can be started here: all is made in this one
            return

    def broken(self, count: int) -> None:
        """Start others next time."""
        with self._lock:
            for worker in self._workers.pop(count, ()):
                worker.shutdown(wait=False, cancel_futures=True)


_POOL = _Pool()
AHEAD = 2
"""Designs a worker is given at a time: it begins the next one without waiting."""


class Workers:
    """Makes designs in worker processes, and here while these start or where they end. Those of the topology that the others wait for come
    first, then those that take long, so that no long one is left for the end, and a worker goes on with the topologies it has made: it
    remembers much of them."""

    def __init__(self, need: Requirement, catalogue: Catalogue | None, count: int) -> None:
        self._count, self._given = count, (need, catalogue)
        self._packed, self._example = pickle.dumps(self._given), example_of(need)
        self._asked: list[Mapping[str, Any]] = []
        self._made: dict[Future[tuple[Entry, float]], tuple[ProcessPoolExecutor, Mapping[str, Any]]] = {}
        self._took: dict[str, float] = {}
        self._home: dict[str, ProcessPoolExecutor] = {}

    def ask(self, tried: Mapping[str, Any]) -> None:
        """A design of these pins is wanted."""
        self._asked.append(tried)

    def take(self) -> Entry:
        """The next that is made and measured."""
        try:
            for worker in AHEAD * _POOL.ready(self._count):  # one for each before a second for any
                self._give(worker)
            if self._made:
                done = next(iter(wait(self._made, return_when=FIRST_COMPLETED).done))
                return self._noted(*done.result(), self._made.pop(done)[1])
        except BrokenProcessPool:  # what no worker can do is done here
            _POOL.broken(self._count)
            self._asked.extend(tried for _, tried in self._made.values())
            self._made.clear()
        tried = self._asked.pop(0)
        return self._noted(*_measured(*self._given, tried), tried)

    def _give(self, worker: ProcessPoolExecutor) -> None:
        """One more design for a worker that has less than it may."""
        if not self._asked or sum(at is worker for at, _ in self._made.values()) == AHEAD:
            return
        tried = self._next(worker)
        self._made[worker.submit(_in_worker, self._packed, tried)] = (worker,
            tried)  # raises where the worker has ended: it is still asked for then
        self._asked.remove(tried)
        self._home[str(tried["topology"])] = worker

    def _next(self, worker: ProcessPoolExecutor) -> Mapping[str, Any]:
        """Of what is asked for, what the worker knows or nobody does; of these what the others wait for, then the first of each topology in
        their order, then what is expected to take longest."""
        def rank(name: str) -> tuple[bool, bool, float]:
            return self._home.get(name, worker) is worker, name == self._example, self._took.get(name, float("inf"))
        return max(self._asked, key=lambda tried: rank(str(tried["topology"])))

    def _noted(self, entry: Entry, seconds: float, tried: Mapping[str, Any]) -> Entry:
        self._took[str(tried["topology"])] = seconds
        return entry

    def stop(self) -> None:
        """Leave out what has not been begun."""
        for future in self._made:
            future.cancel()


@contextmanager
def makers_of(need: Requirement, catalogue: Catalogue | None, workers: int | None) -> Iterator[Makers]:
    """Who makes the designs of a search: so many processes (by the processors there are), or this one alone; what has not been begun at its
    end is left out."""
    count = min(processors(), MOST) if workers is None else workers
    if count < 2:
        yield OneByOne(need, catalogue)
        return
    makers = Workers(need, catalogue, count)
    try:
        yield makers
    finally:
        makers.stop()


def contest_steps(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None,
                  workers: int | None = None) -> Iterator[tuple[int, int, Entry]]:
    """The contest's steps. workers: how many processes (by the processors there are); closing the generator leaves out the rest. Raises
    InputError like the contest."""
    with makers_of(need, catalogue, workers) as makers:
        yield from contest(need, pins, catalogue, makers=makers)


def run(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None,
        workers: int | None = None) -> list[Entry]:
    """The whole contest at once, ranked."""
    last = {e.topology: e for _, _, e in contest_steps(need, pins, catalogue, workers)}
    return ranked(list(last.values()))
