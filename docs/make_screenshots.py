"""Write the README's pictures from the demo data at 1280x800; needs no display."""

import sys
from pathlib import Path

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.ui.main import prepare_platform

VIEWS = {"ask": ("Ask", "", 0), "size-switch": ("Size", "switch", 0), "size-bulk": ("Size", "bulk", 0), "size-transformer": ("Size", "transformer", 0), "size-clamp": ("Size", "clamp", 0), "size-loss": ("Size", "load", 0)}


def main(folder: Path) -> None:
    """One picture a view."""
    prepare_platform()
    from PySide6.QtWidgets import QApplication

    from rhevectra.ui.theme import roles
    from rhevectra.ui.window import MainWindow

    application = QApplication([])
    roles.start(application)
    window = MainWindow(Session.of_text(demo.text(), "demo"))
    window.show()
    for name, (desk, stage, tab) in VIEWS.items():
        window.go(desk)
        if stage:
            window.size_desk.choose_stage("inlet")
            window.size_desk.choose_stage(stage)
            window.size_desk.picture.tabs.setCurrentIndex(tab)
        for _ in range(3):
            application.processEvents()
        window.grab().save(str(folder / f"{name}.png"), "PNG")


if __name__ == "__main__":
    main(Path(sys.argv[1]) if len(sys.argv) > 1 else Path(__file__).parent / "screenshots")
