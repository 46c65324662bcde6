"""Where the program starts: a command, or the window. The only place that knows both."""

import sys
from pathlib import Path

from rhevectra import cli


def open_window(project: str | None, demo: str | None, shot: str | None) -> int:
    """Open the window (imported only now, so that commands start quickly)."""
    from rhevectra.ui.main import run

    return run(project, demo, shot)


def take_shots(folder: Path) -> int:
    """Pictures of all views (imported only now)."""
    from rhevectra.ui.shots import take

    return take(folder)


def main() -> int:
    """The `rhevectra` command."""
    return cli.main(sys.argv[1:], open_window, take_shots)
