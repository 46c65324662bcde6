"""Starting the window: platform, application, first project, pictures of the window."""

import builtins
import os
import sys
import tempfile
from collections.abc import Callable
from importlib import import_module
from pathlib import Path
from threading import Thread
from typing import TYPE_CHECKING

from rhevectra.app import settings
from rhevectra.app.autosave import found
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.drawing import pictures  # noqa: F401  (before Qt, which reads the source of every module imported after it)

if TYPE_CHECKING:
    from rhevectra.ui.window import MainWindow

SHARE = 2e-4
"""Seconds a thread keeps Python while the window waits for it; at Python's own 5 ms a repaint beside an exact period takes a quarter of a
second."""


DESKS = ("ask", "contest", "explore", "wind", "prove", "file", "sheet_page")
"""Views that are built when they are first looked at, and read from the disk before that, while nobody waits."""
IDLE = 1000
"""Milliseconds after the first picture before they are."""


def read_desks() -> None:
    """Read the modules of the desks, so that a first look at one waits for its building alone."""
    for name in DESKS:
        import_module(f"rhevectra.ui.views.{name}")


def prepare_platform() -> bool:
    """With no display, draw on an offscreen screen of 1280x800; whether that is so."""
    if os.environ.get("QT_QPA_PLATFORM") or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"):
        return False
    config = Path(tempfile.gettempdir()) / f"rhevectra-screen-{os.getuid()}.json"
    config.write_text('{"synchronousWindowSystemEvents": false, "screens": [{"name": "desk", "x": 0, "y": 0, "width": 1280, "height": 800, '
                      '"logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}]}', encoding="utf-8")
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={config}"
    return True


def painted(opening: Callable[[], Session]) -> "MainWindow":
    """The window with a session, painted. opening: waits for the session, which a process of its own opens meanwhile."""
    sys.setswitchinterval(SHARE)
    if prepare_platform():
        print("rhevectra: no display found; the window is drawn on an offscreen screen", file=sys.stderr)
    own = builtins.__import__
    from PySide6.QtCore import QLocale

    # the toolkit's reads the source of every module imported after it, to see whether it renames the toolkit's methods; none here does
    builtins.__import__ = own
    from PySide6.QtWidgets import QApplication

    from rhevectra.ui.theme import roles
    from rhevectra.ui.window import MainWindow

    QLocale.setDefault(QLocale.c())
    application = QApplication.instance() or QApplication(roles.ARGUMENTS)
    assert isinstance(application, QApplication)
    roles.start(application, str(settings.read()["theme"]))
    window = MainWindow(opening())
    roles.dress(application)
    window.show()
    application.processEvents()
    return window


def stay(window: "MainWindow") -> int:
    """Offer what a crash has left, and wait until the window is closed."""
    from PySide6.QtCore import QTimer
    from PySide6.QtWidgets import QApplication

    window.offer_recovery(found())
    QTimer.singleShot(IDLE,
                      lambda: Thread(target=read_desks,
                                     daemon=True).start())  # a bound method of an object that nobody else holds would not be called
    return int(QApplication.exec())


def leave(window: "MainWindow", shot: str) -> int:
    """Save a picture of the window and close it. Raises InputError."""
    if not window.grab().save(shot, "PNG"):
        raise InputError(shot, "the picture cannot be written", "a folder that may be written")
    window.session.saved = window.session.document
    window.close()
    return 0
