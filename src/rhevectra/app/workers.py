"""The contest in worker processes, as many as there are processors; one after the other where there is only one or none can be started."""

import multiprocessing
import os
from collections.abc import Iterator, Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor, as_completed
from concurrent.futures.process import BrokenProcessPool
from typing import Any

from rhevectra.core.basis.requirement import Requirement
from rhevectra.core.catalogue.tables import Catalogue
from rhevectra.core.design.contest import Entry, contest, entry_of, ranked
from rhevectra.core.topologies import TOPOLOGIES

MOST = 8
"""Most worker processes."""
_given: dict[str, Any] = {}


def _begin(need: Requirement, catalogue: Catalogue | None) -> None:
    """What every task of a worker shares."""
    _given.update(need=need, catalogue=catalogue)


def _measured(tried: Mapping[str, Any]) -> Entry:
    return entry_of(_given["need"], _given["catalogue"], tried)


def processors() -> int:
    """Processors this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def contest_steps(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None, workers: int | None = None) -> Iterator[tuple[int, int, Entry]]:
    """The contest's steps. workers: how many processes (by the processors there are); closing the generator ends them. Raises InputError like the contest."""
    count = min(processors(), MOST) if workers is None else workers
    if count < 2:
        yield from contest(need, pins, catalogue)
        return
    pool = ProcessPoolExecutor(count, multiprocessing.get_context("spawn"), _begin, (need, catalogue))
    warm = False

    def measure(tries: Sequence[Mapping[str, Any]]) -> Iterator[Entry]:
        """The first of each topology here, while the workers start; the rest by them."""
        nonlocal warm
        here = 0 if warm else len(TOPOLOGIES)
        warm = True
        left = dict.fromkeys(range(here, len(tries)))
        try:
            waiting = {pool.submit(_measured, tries[k]): k for k in left}
        except BrokenProcessPool:
            waiting = {}
        for tried in tries[:here]:
            yield entry_of(need, catalogue, tried)
        try:
            for future in as_completed(waiting):
                entry = future.result()
                del left[waiting[future]]
                yield entry
        except BrokenProcessPool:  # what no worker can do is done here
            pass
        for k in left:
            yield entry_of(need, catalogue, tries[k])
    try:
        yield from contest(need, pins, catalogue, measure=measure)
    finally:
        pool.shutdown(wait=False, cancel_futures=True)


def run(need: Requirement, pins: Mapping[str, Any] | None = None, catalogue: Catalogue | None = None, workers: int | None = None) -> list[Entry]:
    """The whole contest at once, ranked."""
    last = {e.topology: e for _, _, e in contest_steps(need, pins, catalogue, workers)}
    return ranked(list(last.values()))
