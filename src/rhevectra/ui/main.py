"""Starting the window: platform, application, first project, pictures of the window."""

import builtins
import gc
import os
import sys
import tempfile
from pathlib import Path

from rhevectra import demo
from rhevectra.app import settings
from rhevectra.app.ahead import Ahead
from rhevectra.app.autosave import found
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.drawing import pictures  # noqa: F401  (before Qt, which reads the source of every module imported after it)

SHARE = 2e-4
"""Seconds a thread keeps Python while the window waits for it; at Python's own 5 ms a repaint beside an exact period takes a quarter of a second."""


def prepare_platform() -> None:
    """With no display, draw on an offscreen screen of 1280x800 and say so."""
    if os.environ.get("QT_QPA_PLATFORM") or os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"):
        return
    config = Path(tempfile.gettempdir()) / f"rhevectra-screen-{os.getuid()}.json"
    config.write_text('{"synchronousWindowSystemEvents": false, "screens": [{"name": "desk", "x": 0, "y": 0, "width": 1280, "height": 800, "logicalDpi": 96, "logicalBaseDpi": 96, "dpr": 1}]}', encoding="utf-8")
    os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={config}"
    print("rhevectra: no display found; the window is drawn on an offscreen screen", file=sys.stderr)


def first_session(project: str | None, demo_name: str | None) -> Session:
    """The session to open: a file, a demo, or the demo where nothing is named. Raises InputError."""
    if project is not None and demo_name is None:
        return Session.open(project)
    if project is not None:
        raise InputError("usage", "a project and --demo cannot both be opened", "one of the two")
    return Session.of_text(demo.text(demo_name or demo.NAMES[0]), "demo")


def run(project: str | None, demo_name: str | None, shot: str | None) -> int:
    """Open the window and stay until it is closed; with `shot` save a picture of it and leave."""
    sys.setswitchinterval(SHARE)
    gc.disable()  # start-up makes many objects and throws none away; collecting among them costs a tenth of the start
    opening = Ahead(lambda: first_session(project, demo_name))
    prepare_platform()
    own = builtins.__import__
    from PySide6.QtCore import QLocale

    builtins.__import__ = own  # the toolkit's reads the source of every module imported after it, to see whether it renames the toolkit's methods; none here does
    from PySide6.QtWidgets import QApplication

    from rhevectra.ui.theme import roles
    from rhevectra.ui.window import MainWindow

    QLocale.setDefault(QLocale.c())
    application = QApplication.instance() or QApplication(roles.ARGUMENTS)
    assert isinstance(application, QApplication)
    roles.start(application, str(settings.read()["theme"]))
    window = MainWindow(opening.session())
    roles.dress(application)
    window.show()
    application.processEvents()
    gc.enable()
    if shot is None:
        window.offer_recovery(found())
        return int(application.exec())
    if not window.grab().save(shot, "PNG"):
        raise InputError(shot, "the picture cannot be written", "a folder that may be written")
    window.session.saved = window.session.document
    window.close()
    return 0
