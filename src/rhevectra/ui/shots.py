"""`rhevectra shots DIR`: a current picture of each main view at 1280x800 from the demo data; no display needed."""

import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.core.basis.errors import InputError
from rhevectra.ui.main import prepare_platform

VIEWS = {"ask": ("Ask", "", ""), "size-switch": ("Size", "switch", "period"), "size-bulk": ("Size", "bulk", "line"),
         "size-transformer": ("Size", "transformer", "window"), "size-range": ("Size", "switch", "range"),
         "size-field": ("Size", "transformer", "field"),
         "size-clamp": ("Size", "clamp", "transient"), "size-map": ("Size", "clamp", "map"),
         "size-circuit": ("Size", "rectifier", "circuit"), "size-loss": ("Size", "load", "loss"),
         "explore": ("Explore", "", ""), "wind": ("Wind", "", ""), "prove": ("Prove", "", ""), "file": ("File", "", "")}
"""Picture name -> desk, stage, picture of the panel."""
EXPLORED, PATIENCE = 160, 90
"""Designs of the exploration that is shown, and seconds that a picture from a worker is waited for."""


def take(folder: Path) -> int:
    """Write the pictures. Raises InputError where the folder cannot be written."""
    import os

    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as problem:
        raise InputError(str(folder), f"cannot be made ({problem.strerror})", "a folder that may be written") from None
    os.environ.pop("DISPLAY", None)
    os.environ.pop("WAYLAND_DISPLAY", None)
    with tempfile.TemporaryDirectory() as own:  # pictures never depend on the settings of the person who takes them
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = own
        _take(folder)
    print(f"rhevectra: pictures written to {folder}", file=sys.stderr)
    return 0


def _wait(still: Callable[[], bool]) -> None:
    """Let the window work while something is still to come, for as long as anybody waits."""
    from PySide6.QtWidgets import QApplication

    until = time.monotonic() + PATIENCE
    while still() and time.monotonic() < until:
        QApplication.processEvents()
        time.sleep(0.005)  # what is waited for needs the processor too


def _look_at_clamp(window: Any) -> None:
    """Put the time cursor of the switching period into the interval after the turn-off."""
    panel = window.size_desk.picture
    _wait(lambda: panel.exact is None)
    for _ in range(12):
        panel.step_interval(1)
        if panel.exact is not None and "clamp while" in panel.exact.stretch_at(panel.instant).name:
            return


def _read_some(window: Any) -> None:
    """Made-up readings of a made supply: all at the middle of their bands, its leakage a fifth too high."""
    for check in list(window.prove_desk.bring_up.checks.values())[:7]:
        window.log_reading(check, check.expected * (1.2 if "Leakage" in check.name else 1.0))
    window.statusBar().clearMessage()


def _explore_some(window: Any) -> None:
    """Some designs around the demo's, and one of those that none beats chosen."""
    desk = window.explore_desk
    desk.count.setValue(EXPLORED)
    desk.button.click()
    _wait(lambda: window.jobs.running)
    desk.choose(desk.rows[len(desk.rows) // 2])
    window.statusBar().clearMessage()


def _take(folder: Path) -> None:
    prepare_platform()
    from PySide6.QtWidgets import QApplication

    from rhevectra.ui.theme import roles
    from rhevectra.ui.window import MainWindow

    application = QApplication.instance() or QApplication(roles.ARGUMENTS)
    assert isinstance(application, QApplication)
    roles.start(application)
    window = MainWindow(Session.of_text(demo.text(), "demo"))
    roles.dress(application)
    window.show()

    def shoot(name: str) -> None:
        _wait(lambda: window.size_desk.busy or window.jobs.running or (window._file is not None and window._file.composing.busy))
        for _ in range(3):
            application.processEvents()
        if not window.grab().save(str(folder / f"{name}.png"), "PNG"):
            raise InputError(str(folder / f"{name}.png"), "the picture cannot be written", "a folder that may be written")
    _first_demo(window, shoot)
    _held_and_dark(window, shoot)
    _other_demos(window, shoot)
    window.close()


def _first_demo(window: Any, shoot: Callable[[str], None]) -> None:
    """Every desk, and the stages of the first demo."""
    for name, (desk, stage, picture) in VIEWS.items():
        window.go(desk)
        if name == "prove":
            _read_some(window)
        if name == "explore":
            _explore_some(window)
        if stage:
            window.size_desk.choose_stage("inlet" if stage != "inlet" else "bulk")
            window.size_desk.choose_stage(stage)
            window.size_desk.picture.choose(picture)
            if name == "size-switch":
                _look_at_clamp(window)
        shoot(name)


def _held_and_dark(window: Any, shoot: Callable[[str], None]) -> None:
    """An edit with the design before it pale behind, in the dark theme."""
    window.go("Size")
    window.size_desk.choose_stage("switch")
    window.hold()
    window.session.pin("fs", 100e3)
    window.show_all()
    window.toggle_theme()
    shoot("size-reference-dark")
    window.toggle_theme()


def _other_demos(window: Any, shoot: Callable[[str], None]) -> None:
    """What the first demo has not: a power factor stage, a loop behind it, a resonant stage, a contest with front ends."""
    for name, what, stage, picture in (("size-power-factor", "frost-fans", "pfc", "envelope"),
                                       ("size-loop", "frost-fans", "feedback", "loop"),
                                       ("size-resonant", "radar-rotator", "switch", "gain"), ("contest", "frost-fans", "", "")):
        window.session.saved = window.session.document
        window._adopt(Session.of_text(demo.text(what), "demo"))
        if stage:
            window.size_desk.choose_stage(stage)
            window.size_desk.picture.choose(picture)
        else:
            window.go("Contest")
        shoot(name)
    window.session.saved = window.session.document
