"""Where the program starts: a command, or the window. The only place that knows both."""

import gc
import sys
from pathlib import Path
from typing import Any

from rhevectra import cli


def painted(project: str | None, demo: str | None) -> Any:
    """The main window, painted (imported only now, so that commands start quickly). Nothing is collected until then: start-up makes many
    objects and throws none away. Raises InputError."""
    from rhevectra.app.ahead import Ahead, opened

    gc.disable()
    opening = Ahead(
        lambda: opened(project, demo))  # before anything large is read, which the second process would have to take over page by page
    from rhevectra.ui import main

    window = main.painted(opening.session)
    gc.freeze()  # it stays: a full collection would look through all of it, some 40 ms at a time
    gc.enable()
    return window


def open_window(project: str | None, demo: str | None, shot: str | None) -> int:
    """Open the window and stay until it is closed; with `shot` save a picture of it and leave."""
    window = painted(project, demo)
    from rhevectra.ui import main

    return main.stay(window) if shot is None else main.leave(window, shot)


def take_shots(folder: Path) -> int:
    """Pictures of all views (imported only now)."""
    from rhevectra.ui.shots import take

    return take(folder)


def write_winding(design: Any, title: str, path: Path) -> None:
    """The winding sheet as a file (drawing is imported only now)."""
    from rhevectra.ui import report

    report.alone(report.write_winding, design, title, path)


def write_dossier(design: Any, title: str, path: Path) -> None:
    """The whole design as a file (drawing is imported only now)."""
    from rhevectra.ui import report

    report.alone(report.write_dossier, design, title, path)


def main() -> int:
    """The `rhevectra` command."""
    return cli.main(sys.argv[1:], open_window, take_shots, write_winding, write_dossier)
