"""Where the program starts: a command, or the window. The only place that knows both."""

import sys
from pathlib import Path
from typing import Any

from rhevectra import cli


def open_window(project: str | None, demo: str | None, shot: str | None) -> int:
    """Open the window (imported only now, so that commands start quickly)."""
    from rhevectra.ui.main import run

    return run(project, demo, shot)


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
