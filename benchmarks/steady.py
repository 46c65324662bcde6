"""The steady-state engine against a circuit simulator's transient run to the same 0.5 %, in one run. Run: .venv/bin/python
benchmarks/steady.py"""

import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from converters import CIRCUITS, flyback, llc
from rhevectra.core.circuit.measure import Measures
from rhevectra.core.circuit.read import read
from rhevectra.core.circuit.steady import steady


def transient(text: str, period: float, periods: int) -> tuple[float, float]:
    """Seconds the simulator takes for so many periods, and the output's average over the last two."""
    end = periods * period
    net = text.replace("\n.end\n", f"\n.options reltol=1e-4 method=trap\n.tran {period / 200:.4g} {end:.9g} {end - 2 * period:.9g} "
                       f"{period / 200:.4g} uic\n.control\nrun\nmeas tran vo AVG v(out) from={end - 2 * period:.9g} "
                       f"to={end:.9g}\nquit\n.endc\n.end\n")
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "n.cir"
        path.write_text(net, encoding="utf-8")
        start = time.perf_counter()
        out = subprocess.run(["ngspice", "-b", str(path)], capture_output=True, text=True, check=False).stdout
        spent = time.perf_counter() - start
    return spent, float(next(line for line in out.splitlines() if line.startswith("vo ")).split("=")[1].split()[0])


def simulator(text: str, period: float, target: float) -> tuple[float, int]:
    """Seconds and periods until the output is within 0.5 % of the target and still is after twice as many (tried in doublings)."""
    periods, last = 50, (0.0, 0.0)
    while periods <= 25_600:
        now = transient(text, period, periods)
        if all(abs(v / target - 1) < 0.005 for v in (last[1], now[1])):
            return last[0], periods // 2
        periods, last = 2 * periods, now
    return last[0], periods // 2


def main() -> None:
    """Print the time of each circuit, and the ratio to the simulator on the two named ones."""
    for name, (text, period) in CIRCUITS.items():
        found = steady(read(text), period)
        times = [steady(read(text), period).elapsed for _ in range(5)]
        print(f"{name:26} {statistics.median(times) * 1e3:7.1f} ms   {len(found.start):2d} states, {len(found.period.events):3d} events, "
              f"{found.steps:3d} periods, {statistics.median(times) / found.steps * 1e3:6.2f} ms a period")
    for name, (text, period), goal, turns in (("flyback with 1000 µF", flyback(c_out=1000e-6), 100, 1),
                                              ("LLC at resonance, 470 µF",
                                               (llc(1.0)[0].replace("C1 out 0 22u", "C1 out 0 470u").replace("IC=24", "IC=0"), llc(1.0)[1]),
                                               30, 7)):
        text = text.replace("IC=12", "IC=0")
        target = Measures(steady(read(text), period)).measure("n", "out").avg
        mine, theirs = [], []
        for _ in range(
                # one side after the other, and the least of each counts: the pace of a shared machine changes from second to second
                turns):
            mine += [steady(read(text), period).elapsed for _ in range(7)]
            spent, periods = simulator(text, period, target)
            theirs.append(spent)
        print(f"{name}: engine least {min(mine) * 1e3:.1f}, median {statistics.median(mine) * 1e3:.1f} ms; simulator least "
              f"{min(theirs):.2f}, median {statistics.median(theirs):.2f} s over {periods} periods: {min(theirs) / min(mine):.0f} times "
              f"faster by the least, {statistics.median(theirs) / statistics.median(mine):.0f} by the median (goal: {goal})")


if __name__ == "__main__":
    main()
