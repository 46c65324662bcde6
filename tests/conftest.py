"""Shared set-up: a screen without a monitor, folders of its own for every test, the demo designed once."""

import gc
import json
import os
import tempfile
from copy import copy
from pathlib import Path

_SCREEN = Path(tempfile.mkdtemp(prefix="rhevectra-test-")) / "screen.json"
_SCREEN.write_text(
    json.dumps({"synchronousWindowSystemEvents": False,
                "screens": [{"name": "desk", "x": 0, "y": 0, "width": 1280, "height": 800, "logicalDpi": 96, "logicalBaseDpi": 96,
                             "dpr": 1}]}))
os.environ["QT_QPA_PLATFORM"] = f"offscreen:configfile={_SCREEN}"

import pytest

from requirements import ALONE
from rhevectra import demo
from rhevectra.app.workers import run
from rhevectra.core.design.size import size
from rhevectra.core.stages import FRONT_ENDS
from rhevectra.core.topologies import TOPOLOGIES
from rhevectra.project.codec import decode

gc.set_threshold(100_000, 50, 100)  # designs of a whole run stay alive: looking through them again and again took a tenth of it

for registry in (TOPOLOGIES, FRONT_ENDS):  # every formula is registered, whichever test runs first
    list(registry.values())


@pytest.fixture(autouse=True)
def own_folders(tmp_path, monkeypatch):
    """Settings and data of the person who runs the tests are never touched."""
    for name in ("XDG_CONFIG_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME", "XDG_STATE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))


@pytest.fixture(scope="session")
def demo_document():
    return decode(demo.text(), "demo")


@pytest.fixture(scope="session")
def demo_design(demo_document):
    return size(demo_document.requirement, demo_document.decisions)


@pytest.fixture(scope="session")
def lone_design(demo_document):
    """The demo with the auxiliary winding out of the spike, to look at the clamp by itself."""
    return size(demo_document.requirement, {**demo_document.decisions, **ALONE})


@pytest.fixture(scope="session")
def entries():
    """The contest of the ringing lab bench."""
    bench = decode(demo.text("ringing-lab-bench"), "demo")
    return run(bench.requirement, bench.decisions, workers=1)


@pytest.fixture
def demo_file(tmp_path):
    path = tmp_path / "hide.rhevectra.json"
    path.write_text(demo.text(), encoding="utf-8")
    return path


@pytest.fixture(scope="session")
def styled(qapp):
    """The application with its typeface and light theme, once."""
    from rhevectra.ui.theme import roles

    roles.start(qapp)
    roles.dress(qapp)
    return qapp


@pytest.fixture(scope="session")
def opened_demo():
    """The demo opened once: windows of the tests begin with copies of this session."""
    from rhevectra.app.session import Session

    return Session.of_text(demo.text(), "demo")


@pytest.fixture
def window(qtbot, styled, opened_demo):
    """The real window on the demo; gone, with all its widgets, after the test."""
    from PySide6.QtCore import QEvent

    from rhevectra.ui.theme import roles
    from rhevectra.ui.window import MainWindow

    if roles.theme() != "light":
        roles.apply(styled, "light")
    session = copy(opened_demo)
    session.past, session.future = [], []
    made = MainWindow(session)
    made.changing.patience = 60_000  # a test looks at what comes of a click in its next line
    made.show()
    qtbot.waitExposed(made)
    yield made
    made.session.saved = made.session.document
    made.close()
    made.deleteLater()
    styled.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    styled.processEvents()
