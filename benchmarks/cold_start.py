"""Cold start to the first painted window, process start to end, against a bare window with the toolkit that also draws our pictures, in
turn. Run: .venv/bin/python benchmarks/cold_start.py"""

import os
import statistics
import subprocess
import sys
import tempfile
import time

BARE = """
import numpy
from PySide6.QtWidgets import QApplication, QMainWindow, QLabel
a = QApplication([]); w = QMainWindow(); w.setCentralWidget(QLabel("bare")); w.resize(1280, 800); w.show(); a.processEvents()
"""
OURS = """
import os
from rhevectra.start import painted
painted(None, "camera-hide"); os._exit(0)
"""
"""The program up to the moment it would offer what a crash has left and wait for its user. No picture is packed and written in either."""


def main() -> None:
    """Print medians of whole processes and their ratio."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with tempfile.TemporaryDirectory() as folder:
        env |= {"XDG_CONFIG_HOME": folder, "XDG_STATE_HOME": folder}
        commands = {"bare window": [sys.executable, "-c", BARE + "import os; os._exit(0)"], "rhevectra": [sys.executable, "-c", OURS]}
        times: dict[str, list[float]] = {name: [] for name in commands}
        for turn in range(9):
            for name, command in commands.items():
                start = time.perf_counter()
                subprocess.run(command, env=env, check=True, capture_output=True)
                if turn:
                    times[name].append(time.perf_counter() - start)
    middle = {name: statistics.median(t) for name, t in times.items()}
    for name, value in middle.items():
        print(f"{name}: {value * 1e3:.0f} ms to the first painted window")
    print(f"ratio {middle['rhevectra'] / middle['bare window']:.2f} (goal: under 2.0)")


if __name__ == "__main__":
    main()
