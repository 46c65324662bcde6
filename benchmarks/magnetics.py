"""How long the magnetics take: every core with every usual arrangement, the field in the window. `python benchmarks/magnetics.py`"""

import statistics
import time
from collections.abc import Callable

from msgspec.structs import replace

from rhevectra import demo
from rhevectra.core.design.size import size
from rhevectra.core.magnetics import arrangement, transformer
from rhevectra.core.magnetics.compare import alternatives
from rhevectra.core.magnetics.window_field import field_steps
from rhevectra.core.magnetics.windows import windows
from rhevectra.core.topologies.common.winding import wires
from rhevectra.project.codec import decode

TRIES = 7


def median(work: Callable[[], object], tries: int = TRIES) -> float:
    """Median time of a few runs after one that warms up [s]."""
    work()
    taken = []
    for _ in range(tries):
        start = time.perf_counter()
        work()
        taken.append(time.perf_counter() - start)
    return statistics.median(taken)


def main() -> None:
    """Print every figure with its goal."""
    document = decode(demo.text(), "demo")
    design = size(document.requirement, document.decisions, noise=False)
    plan = design.context["plan"]
    need, win, offered = plan.need, design.catalogue["cores"].derived(windows), wires(design.catalogue)
    names = [w.name for w in need.windings]
    needs = [replace(need, stack=arrangement.blocks(name, names)) for name in arrangement.PRESETS]
    whole = median(lambda: [transformer.try_all(n, win, offered) for n in needs])
    one = median(lambda: transformer.try_all(need, win, offered))
    print(f"{len(win.names)} cores × {transformer.CANDIDATES} turns × {len(needs)} arrangements: {whole * 1e3:.1f} ms (goal: under 100), "
          f"one arrangement {one * 1e3:.1f} ms")
    print(f"usual arrangements side by side on one core: {median(lambda: alternatives(plan, 'split', offered)) * 1e3:.1f} ms")
    print(f"field in the window, two solutions: {median(lambda: list(field_steps(design)), 3):.2f} s (goal: under 3)")
    pinned = {**document.decisions, "transformer.arrangement": "simple"}
    print(f"a dragged winding: sizing {median(lambda: size(document.requirement, pinned)) * 1e3:.1f} ms (goal with repainting: under 100)")


if __name__ == "__main__":
    main()
