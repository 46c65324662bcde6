"""The contest in worker processes, as many as there are processors; one after the other where there is only one or none can be started."""

import multiprocessing
import os
import pickle
import threading
from collections.abc import Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from functools import lru_cache
from time import perf_counter
from typing import Any

from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.contest import Entry, contest, entry_of, ranked

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


def processors() -> int:
    """Processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


class _Pool:
    """Worker processes, started once and kept for the next contest; they come from a server that has read the core beforehand."""

    def __init__(self) -> None:
        self._lock, self._pools = threading.Lock(), dict[int, ProcessPoolExecutor | None]()

    def ready(self, count: int) -> ProcessPoolExecutor | None:
        """The workers, or nothing while they start."""
        with self._lock:
            if count not in self._pools:
                self._pools[count] = None
                threading.Thread(target=self._start, args=(count,), daemon=True).start()
            return self._pools[count]

    def _start(self, count: int) -> None:
        try:
            context = multiprocessing.get_context("forkserver")
            context.set_forkserver_preload(["rhevectra.core.design.contest"])
            pool = ProcessPoolExecutor(count, context)
            for began in [pool.submit(os.getpid) for _ in range(count)]:
                began.result()
        except (OSError, RuntimeError, ValueError, ImportError):  # no process can be started here: all is made in this one
            return
        self._pools[count] = pool

    def broken(self, count: int) -> None:
        """Start others next time."""
        with self._lock:
            self._pools.pop(count, None)


_POOL = _Pool()


class Workers:
    """Makes designs in worker processes, and here while these start or where they end; those of topologies that take long first, so that no long one is left for the end."""

    def __init__(self, need: Requirement, catalogue: Catalogue | None, count: int) -> None:
        self._count, self._given = count, (need, catalogue)
        self._packed = pickle.dumps(self._given)
        self._asked: list[Mapping[str, Any]] = []
        self._made: dict[Future[tuple[Entry, float]], Mapping[str, Any]] = {}
        self._took: dict[str, float] = {}

    def ask(self, tried: Mapping[str, Any]) -> None:
        """A design of these pins is wanted."""
        self._asked.append(tried)

    def take(self) -> Entry:
        """The next that is made and measured."""
        try:
            pool = _POOL.ready(self._count)
            while pool is not None and self._asked and len(self._made) <= self._count:
                tried = self._longest()
                self._made[pool.submit(_in_worker, self._packed, tried)] = tried
                self._asked.remove(tried)
            if self._made:
                done = next(iter(wait(self._made, return_when=FIRST_COMPLETED).done))
                return self._noted(*done.result(), self._made.pop(done))
        except BrokenProcessPool:  # what no worker can do is done here
            _POOL.broken(self._count)
            self._asked.extend(self._made.values())
            self._made.clear()
        tried = self._asked.pop(0)
        return self._noted(*_measured(*self._given, tried), tried)

    def _longest(self) -> Mapping[str, Any]:
        """Of what is asked for, what is expected to take longest; the first of each topology in their order before all that."""
        return max(self._asked, key=lambda tried: self._took.get(str(tried["topology"]), float("inf")))

    def _noted(self, entry: Entry, seconds: float, tried: Mapping[str, Any]) -> Entry:
        self._took[str(tried["topology"])] = seconds
        return entry

    def stop(self) -> None:
        """Leave out what has not been begun."""
        for future in self._made:
            future.cancel()


def contest_steps(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None, workers: int | None = None) -> Iterator[tuple[int, int, Entry]]:
    """The contest's steps. workers: how many processes (by the processors there are); closing the generator leaves out the rest. Raises InputError like the contest."""
    count = min(processors(), MOST) if workers is None else workers
    if count < 2:
        yield from contest(need, pins, catalogue)
        return
    makers = Workers(need, catalogue, count)
    try:
        yield from contest(need, pins, catalogue, makers=makers)
    finally:
        makers.stop()


def run(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None, workers: int | None = None) -> list[Entry]:
    """The whole contest at once, ranked."""
    last = {e.topology: e for _, _, e in contest_steps(need, pins, catalogue, workers)}
    return ranked(list(last.values()))
