"""Cold start to the first painted window against a bare window with the plot library's toolkit, in turn. Run: .venv/bin/python benchmarks/cold_start.py"""

import os
import statistics
import subprocess
import sys
import tempfile
import time

BARE = """
import sys, numpy
from PySide6.QtWidgets import QApplication, QMainWindow, QLabel
a = QApplication([]); w = QMainWindow(); w.setCentralWidget(QLabel("bare")); w.resize(1280, 800); w.show(); a.processEvents(); w.grab().save(sys.argv[1], "PNG")
"""


def main() -> None:
    """Print medians of whole processes and their ratio."""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    with tempfile.TemporaryDirectory() as folder:
        shot = f"{folder}/s.png"
        commands = {"bare window": [sys.executable, "-c", BARE, shot], "rhevectra": [sys.executable, "-m", "rhevectra", "--demo", "--shot", shot]}
        times: dict[str, list[float]] = {name: [] for name in commands}
        for turn in range(9):
            for name, command in commands.items():
                start = time.perf_counter()
                subprocess.run(command, env=env, check=True, capture_output=True)
                if turn:
                    times[name].append(time.perf_counter() - start)
    middle = {name: statistics.median(t) for name, t in times.items()}
    for name, value in middle.items():
        print(f"{name}: {value * 1e3:.0f} ms to the first picture")
    print(f"ratio {middle['rhevectra'] / middle['bare window']:.2f} (goal: under 2.0)")


if __name__ == "__main__":
    main()
