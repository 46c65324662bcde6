"""Starting: a design made in a process of its own is the one that would have been made here, and every failure there ends in the opening
here."""

import os
import subprocess
import sys

import pytest

from rhevectra import demo
from rhevectra.app import ahead
from rhevectra.app.session import Session
from rhevectra.app.summary import as_json
from rhevectra.core.basis.corners import FULL
from rhevectra.core.basis.errors import InputError
from rhevectra.core.catalogue.tables import TABLES, _shipped_text, read_rows, shipped
from rhevectra.core.design.size import TOPOLOGIES
from rhevectra.core.stages import clamps_for, front_ends_for
from rhevectra.drawing.pictures import PICTURES, STAGE_PICTURES, pictures_of
from rhevectra.project.codec import decode
from rhevectra.project.document import Document


def _same(here: Session, there: Session) -> None:
    """Every row, the working of every figure, and the texts of what was refused."""
    assert as_json(there.design, 0.0) == as_json(here.design, 0.0)
    assert [r.refused for r in there.design.rows.values()] == [r.refused for r in here.design.rows.values()]
    assert there.document == here.document and there.design.catalogue is shipped()
    for id, row in there.design.rows.items():
        assert row.id == here.design.rows[id].id and set(row.inputs) == set(here.design.rows[id].inputs)


@pytest.mark.parametrize("topology", ["flyback", "forward_active_clamp", "psfb", "llc_three_phase"])
def test_a_design_goes_to_another_process_and_back_whole(topology):
    need = decode(demo.text(), "demo").requirement
    clamps = [{}] if len(clamps_for(TOPOLOGIES[topology])) < 2 else [{"clamp.kind": kind} for kind in clamps_for(TOPOLOGIES[topology])]
    made = 0
    for front in front_ends_for(need.mains.kind):
        for clamp in clamps[: None if front == "plain" else 1]:
            try:
                here = Session(Document("x", need, {"topology": topology, "front_end": front, **clamp}), shipped())
            except InputError:
                continue  # not made here either
            _same(here, ahead.unpacked(ahead.packed(here)))
            made += 1
    assert made > 1


@pytest.mark.parametrize("name", demo.NAMES)
def test_it_draws_the_same_pictures(name):
    here = Session.of_text(demo.text(name), "demo")
    there = ahead.unpacked(ahead.packed(here))
    drawn = 0
    for key in dict.fromkeys(k for stage in STAGE_PICTURES for k in pictures_of(here.design, stage)):
        mine, other = (PICTURES[key][1](d, d.grid.find(d.grid.lines[0]), 150.0, 110.0, None) for d in (here.design, there.design))
        assert mine.caption == other.caption and [str(x) for x in mine.items] == [str(x) for x in other.items], key
        drawn += len(mine.items)
    assert drawn > 500


def test_domains_stay_the_ones_of_the_program():
    here = Session.of_text(demo.text(), "demo")
    there = ahead.unpacked(ahead.packed(here))
    full = [id for id, s in here.design.specs.items() if s.domain is FULL]
    assert full and all(there.design.specs[id].domain is FULL for id in full)


_ALONE = """
import os, sys, rhevectra.app.ahead as a
from rhevectra import demo
from rhevectra.app.session import Session
a.processors = lambda: {count}
mine = os.getpid()
def opened():
    print("here" if os.getpid() == mine else "there", flush=True)
    {what}
    return Session.of_text(demo.text(), "demo")
a.PATIENCE = 1.0 if "sleep" in {what!r} else 50.0
print(a.Ahead(opened).session().design.value("switch.v_peak"))
"""


@pytest.mark.parametrize(("count", "what", "where"),
                         [(2, "", ["there"]), (1, "", ["here"]), (2, "os.getpid() == mine or os._exit(3)", ["there", "here"]),
                          (2, "os.getpid() == mine or os.kill(os.getpid(), 9)", ["there", "here"]),
                          (2, "import time; os.getpid() == mine or time.sleep(60)", ["there", "here"])])
def test_whatever_becomes_of_the_other_process_the_session_is_opened(count, what, where):
    """It answers, there is none, it ends, it is killed, it hangs: the same peak at the switch."""
    done = subprocess.run([sys.executable, "-c", _ALONE.format(count=count, what=what)], capture_output=True, text=True, env=os.environ,
                          timeout=60)
    *places, value = done.stdout.split()
    assert done.returncode == 0 and places == where and float(value) == Session.of_text(demo.text(), "demo").design.value("switch.v_peak")


def test_a_refusal_is_raised_where_it_is_told():
    code = ("from rhevectra.app.ahead import Ahead, opened; from rhevectra.core.basis.errors import InputError\ntry: Ahead(lambda: "
            "opened('none.json', None)).session()\nexcept InputError as e: print(e)")
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=60)
    assert done.returncode == 0 and "none.json" in done.stdout and "Traceback" not in done.stderr


@pytest.mark.parametrize("table", TABLES)
def test_shipped_tables_pass_the_check_of_a_persons_own_rows(table):
    """They are read without it at every start."""
    assert read_rows(table, _shipped_text(table), table) == shipped()[table].rows and len(shipped()[table].rows) > 1


VISITS = """
import sys
from rhevectra.ui.main import prepare_platform, read_desks
prepare_platform()
from PySide6.QtWidgets import QApplication
from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.ui.theme import roles
from rhevectra.ui.window import MainWindow
application = QApplication(roles.ARGUMENTS)
roles.start(application)
window = MainWindow(Session.of_text(demo.text(), "demo"))
window.show()
views = lambda: {name for name in list(sys.modules) if name.startswith("rhevectra.ui.")}
before = views()
read_desks()
ahead = views()
for desk in ("Ask", "Contest", "Explore", "Wind", "Prove", "Size"):
    window.go(desk)
print(" ".join(sorted({name.split(".")[1] for name in list(sys.modules) if name.startswith("scipy.")})))
print(len(ahead - before), *sorted(views() - ahead))
sys.stdout.flush()
import os
os._exit(0)
"""


def test_no_desk_waits_for_what_only_a_bench_needs():
    """Every desk visited in a process of its own: the packages for peaks, fits and images, which take two seconds to read, are not read
    yet. (The first visit of the winding sheet had taken 2.3 s.)"""
    env = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    run = subprocess.run([sys.executable, "-c", VISITS], capture_output=True, text=True, env=env, timeout=120)
    assert run.returncode == 0, run.stderr[-2000:]
    packages, views = run.stdout.splitlines()
    read = set(packages.split())
    assert not read & {"signal", "stats", "ndimage", "optimize", "spatial"}, read
    count, *late = views.split()
    assert int(count) > 5 and not late, "what a desk is made of is read ahead, while nobody waits"


STAYS = """
import sys
from rhevectra import demo
from rhevectra.app.session import Session
from rhevectra.ui import main
window = main.painted(lambda: Session.of_text(demo.text(), "demo"))
from PySide6.QtCore import QTimer
missing = lambda: [name for name in main.DESKS if f"rhevectra.ui.views.{name}" not in sys.modules]
before, looks = missing(), QTimer()
looks.timeout.connect(lambda: None if missing() else window.close())
looks.start(20)
QTimer.singleShot(20_000, window.close)
code = main.stay(window)
print(len(before), *missing())
sys.exit(code)
"""


def test_the_desks_are_read_while_the_window_stands():
    """The program as it starts, left alone: all modules of the desks are read by themselves, and it closes at that very moment without a
    complaint."""
    run = subprocess.run([sys.executable, "-c", STAYS], capture_output=True, text=True, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
                         timeout=60)
    assert run.returncode == 0 and "Error" not in run.stderr, run.stderr[-2000:]
    before, *missing = run.stdout.split()
    assert int(before) > 3 and not missing


FIRST = """
import os, sys
from rhevectra.ui import feed
feed.PAUSE = 60_000  # after it the exact period is asked for; on a busy machine the usual one is over before the window is painted
from rhevectra.start import painted
painted(None, "camera-hide")
packages, own = ("scipy", "skfem", "concurrent", "email"), ("rhevectra.core.circuit.steady", "rhevectra.core.circuit.read")
print(*sorted(name for name in list(sys.modules) if name.split(".")[0] in packages or name.startswith(own)), flush=True)
os._exit(0)
"""


def test_the_first_window_reads_nothing_of_the_engine():
    """In a process of its own, up to the moment it is painted: neither the exact engine nor what it is solved with, which take as long to
    read as all else."""
    run = subprocess.run([sys.executable, "-c", FIRST], capture_output=True, text=True, env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
                         timeout=60)
    assert run.returncode == 0 and not run.stdout.split(), run.stdout + run.stderr[-2000:]
