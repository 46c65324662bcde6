"""Median time of `size()` on the demo, core search included, nothing cached. Run: .venv/bin/python benchmarks/size.py"""

import statistics
import time
from collections.abc import Callable

import numpy as np

from rhevectra import demo
from rhevectra.app.machine import processors
from rhevectra.app.workers import contest_steps
from rhevectra.core.basis.remembered import forget
from rhevectra.core.design.size import size
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode


def timed(work: Callable[[], object]) -> float:
    """Seconds one call takes that remembers nothing of the ones before."""
    forget()
    start = time.perf_counter()
    work()
    return time.perf_counter() - start


def main() -> None:
    """Print medians, and the ratio to a fixed piece of NumPy work on this machine in this run."""
    need = decode(demo.text(), "demo").requirement
    for name in demo.NAMES:
        document = decode(demo.text(name), "demo")
        for topology in TOPOLOGIES:
            once = lambda d=document, t=topology: size(d.requirement, {"topology": t})  # noqa: E731
            once()
            times = [timed(once) for _ in range(15)]
            print(f"{name}: {topology} median {statistics.median(times) * 1e3:.1f} ms (goal: under "
                  f"{120 if topology.startswith('llc') else 30} ms)")
        for workers in (1, processors(), processors()):  # the last of the same requirement again
            forget()
            first: list[float] = []
            start = time.perf_counter()
            for _step in contest_steps(document.requirement, {}, workers=workers):
                first.append(time.perf_counter() - start)
            print(f"{name}: contest of {len(TOPOLOGIES)} topologies, {len(first)} designs, {workers} processes: first row "
                  f"{first[0] * 1e3:.0f} ms (goal: 300), whole {first[-1] * 1e3:.0f} ms (goal: 1500)")
    size(need)
    runs, work = [], []
    for _ in range(40):
        forget()
        start = time.perf_counter()
        size(need)
        runs.append(time.perf_counter() - start)
        start = time.perf_counter()
        x = np.ones(96)
        for _ in range(1000):
            x = np.sqrt(x * 1.0001 + 0.5)
        work.append(time.perf_counter() - start)
    print(f"size() on the demo: median {statistics.median(runs) * 1e3:.1f} ms, least {min(runs) * 1e3:.1f} ms (goal: median under 15 ms)")
    print(f"ratio to 3000 NumPy operations on 96 numbers ({statistics.median(work) * 1e3:.2f} ms): "
          f"{statistics.median(runs) / statistics.median(work):.1f}")


if __name__ == "__main__":
    main()
