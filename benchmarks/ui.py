"""Edit to repainted figures, to the repainted picture, and memory over 1000 edits, in the real window off screen. Run: .venv/bin/python benchmarks/ui.py"""

import os
import resource
import statistics
import tempfile
import time

for _name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME"):
    os.environ[_name] = tempfile.mkdtemp()
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtWidgets import QApplication

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.ui.theme import roles
from rhevectra.ui.window import MainWindow


def megabytes() -> float:
    """Resident memory now [MB]."""
    with open("/proc/self/statm", encoding="ascii") as stream:
        return int(stream.read().split()[1]) * resource.getpagesize() / 1e6


def main() -> None:
    """Print medians and the memory at 200 and 1000 edits."""
    application = QApplication([])
    roles.start(application)
    window = MainWindow(Session.of_text(demo.text(), "demo"))
    window.show()
    application.processEvents()
    figures, pictures, sizes, store = [], [], [], []
    for k in range(1000):
        start = time.perf_counter()
        window.session.pin("fs", 60e3 + 10 * k)
        sized = time.perf_counter()
        window.show_all()
        window.size_desk.ledger.repaint()
        window.size_desk.path.repaint()
        shown = time.perf_counter()
        window.size_desk.picture.view.repaint()
        done = time.perf_counter()
        application.processEvents()
        sizes.append(sized - start)
        figures.append(shown - start)
        pictures.append(done - start)
        if k in (199, 999):
            store.append(megabytes())
    print(f"edit to new design and its autosave: median {statistics.median(sizes) * 1e3:.1f} ms")
    print(f"edit to repainted figures: median {statistics.median(figures) * 1e3:.1f} ms (goal: under 30 ms)")
    print(f"edit to repainted picture: median {statistics.median(pictures) * 1e3:.1f} ms (goal: under 60 ms)")
    print(f"memory after 200 edits {store[0]:.0f} MB, after 1000 {store[1]:.0f} MB, ratio {store[1] / store[0]:.2f} (goal: flat)")
    window.session.saved = window.session.document
    window.close()


if __name__ == "__main__":
    main()
