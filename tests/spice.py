"""Running a general circuit simulator in batch and reading its measurements."""

import re
import subprocess


def measure(netlist: str, control: list[str], measures: dict[str, str], window: tuple[float, float], path) -> dict[str, float]:
    """Run a netlist; measures: name -> 'AVG expression' and the like, taken over the time window [s]."""
    lines = ["", ".control", "run", *control,
             *(f"meas tran {n} {what} from={window[0]:.9g} to={window[1]:.9g}" for n, what in measures.items()), "quit", ".endc", ".end",
             ""]
    path.write_text(netlist.replace("\n.end\n", "\n".join(lines)), encoding="utf-8")
    out = subprocess.run(["ngspice", "-b", str(path)], capture_output=True, text=True, timeout=400)
    found = {m.group(1): float(m.group(2)) for m in re.finditer(r"^(\w+)\s*=\s*(\S+)", out.stdout, re.M) if m.group(1) in measures}
    assert set(found) == set(measures), out.stdout[-2000:] + out.stderr[-1000:]
    return found


def shortened(netlist: str, share: float = 0.27, most: float = float("inf"), step: str = "") -> tuple[str, float]:
    """The exported netlist with a share of its run, so long [s] at most, and the end of that [s]: it begins at its output voltage, and what
    still moves has settled by then. As many of its last periods are kept as it keeps itself, a quarter of the run at least. step: another
    than its own."""
    whole, kept = (float(x) for x in re.search(r"\.tran \S+ (\S+) (\S+)", netlist).groups())
    end = min(share * whole, most)
    start = max(min(0.75 * end, end - 1.02 * (whole - kept)), 0.0)
    if step:
        return re.sub(r"\.tran .*", f".tran {step} {end:.9g} {start:.9g} {step} uic", netlist), end
    return re.sub(r"(\.tran \S+) \S+ \S+", rf"\1 {end:.9g} {start:.9g}", netlist), end
