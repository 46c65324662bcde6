"""Median time of `size()` on the demo, core search included, nothing cached. Run: .venv/bin/python benchmarks/size.py"""

import statistics
import time

import numpy as np

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.project.codec import decode


def main() -> None:
    """Print medians, and the ratio to a fixed piece of NumPy work on this machine in this run."""
    need = decode(demo.text(), "demo").requirement
    size(need)
    runs, work = [], []
    for _ in range(40):
        start = time.perf_counter()
        size(need)
        runs.append(time.perf_counter() - start)
        start = time.perf_counter()
        x = np.ones(96)
        for _ in range(1000):
            x = np.sqrt(x * 1.0001 + 0.5)
        work.append(time.perf_counter() - start)
    print(f"size() on the demo: median {statistics.median(runs) * 1e3:.1f} ms, least {min(runs) * 1e3:.1f} ms (goal: median under 15 ms)")
    print(f"ratio to 3000 NumPy operations on 96 numbers ({statistics.median(work) * 1e3:.2f} ms): {statistics.median(runs) / statistics.median(work):.1f}")


if __name__ == "__main__":
    main()
