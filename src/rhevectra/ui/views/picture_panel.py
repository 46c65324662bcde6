"""The pictures of the chosen stage, as tabs, with the corner they are drawn at; under the switching period the circuit at the time
cursor."""

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from msgspec import Struct
from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QSplitter, QTabBar, QVBoxLayout, QWidget

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.drawing.display import Picture
from rhevectra.drawing.pictures import PICTURES, of, pictures_of, shown_at
from rhevectra.ui.feed import (
    Feed,
    Work,
    exact_map_steps,
    exact_steps,
    field_steps,
    frequency_steps,
    matrix_steps,
    order_steps,
    over_load_steps,
    range_steps,
    ripple_steps,
    slow_diode_steps,
)
from rhevectra.ui.pictures.arranger import ArrangerView
from rhevectra.ui.pictures.canvas import PictureView
from rhevectra.ui.theme.roles import font

if TYPE_CHECKING:
    from rhevectra.core.design.exact import Exact
    from rhevectra.core.magnetics.window_field import WindowField


class Late(Struct):
    """A picture whose content comes from a worker: what draws it, with None until it is there; what is said; whether it is of one line
    only."""

    draw: Callable[..., Picture]
    said: str
    feed: Feed
    of_line: bool = False
    found: Any = None


class PicturePanel(QFrame):
    """Tabs over one picture. The switching period follows exactly from a worker after the sized one; emits what came of it, and decisions
    made in a picture."""

    solved = Signal(object, object)
    decided = Signal(str, str)
    picked = Signal(object, bool)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        self.view, self.now = ArrangerView(self), PictureView(self)
        self.tabs, self.caption, self.split = QTabBar(self), QLabel(self), QSplitter(Qt.Orientation.Vertical, self)
        self._lay_out()
        self._keys: tuple[str, ...] = ()
        self._shown = ""
        self._design: Design | None = None
        self._corner: Corner | None = None
        self._held: Design | None = None
        self.exact: Exact | None = None
        self.instant = 0.0
        self.feed = Feed(exact_steps, self, of_corner=True)
        self.feed.found.connect(self._solved)
        self.late = self._made_late()
        self.view.drawn.connect(self._captioned)
        self.view.cursor_at.connect(self.set_instant)
        self.view.stepped.connect(self.step_interval)
        self.view.decided.connect(self.decided)
        self.view.arranged.connect(self._arranged)
        self.view.picked.connect(self.picked)
        self.view.foretell = self._foretold
        self.tabs.currentChanged.connect(lambda _i: self._show())

    def _lay_out(self) -> None:
        """Tabs over the picture, the circuit at an instant below it, the caption at the foot."""
        layout, top = QVBoxLayout(self), QHBoxLayout()
        layout.setContentsMargins(6, 4, 6, 6)
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setUsesScrollButtons(True)
        self.tabs.setAccessibleName("pictures of this stage")
        self.tabs.setSizePolicy(QSizePolicy.Policy.Ignored,
                                QSizePolicy.Policy.Fixed)  # many pictures scroll; they never push the other panels
        top.addWidget(self.tabs, 1)
        layout.addLayout(top)
        self.now.setMinimumHeight(130)
        self.now.setAccessibleName("circuit at the time cursor: what conducts")
        self.split.addWidget(self.view)
        self.split.addWidget(self.now)
        self.split.setSizes([255, 205])
        self.split.setChildrenCollapsible(False)
        self.now.hide()
        layout.addWidget(self.split, 1)
        self.caption.setObjectName("muted")
        self.caption.setFont(font(9))
        self.caption.setWordWrap(True)
        self.caption.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignTop)
        self.caption.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        layout.addWidget(self.caption)

    def _made_late(self) -> dict[str, Late]:
        """Pictures that a worker computes, by their keys."""
        return {"field": self._comes("field.field_picture", "finite elements, quadratic triangles", field_steps),
                "loads": self._comes("clamps.over_load_picture", "every kind designed anew", over_load_steps, True),
                "sweep": self._comes("frequency_choice.frequency_choice_picture", "every frequency designed anew", frequency_steps),
                "range": self._comes("input_range.range_picture", "every range designed anew", range_steps),
                "ripple": self._comes("ripple.ripple_picture", "every ratio designed anew", ripple_steps),
                "layers": self._comes("arrangements.orders_picture", "every order of the layers solved anew", order_steps),
                "split": self._comes("matrix.matrix_picture",
                                     "every number of pieces sized anew, by the currents the core was chosen with", matrix_steps),
                "slow": self._comes("slow_diode.slow_diode_picture", "exact periods", slow_diode_steps, True),
                "map": self._comes("clamp_map.map_picture",
                                   "81 cells by exact periods, the others from how far the formulas are off there", exact_map_steps,
                                   held=True)}

    def _comes(self, place: str, said: str, work: Work, of_line: bool = False, held: bool = False) -> Late:
        """A picture that comes late, with its worker. held: it shows the held design too."""
        draw = of(place)
        late = Late((lambda *told: draw(*told, self._held)) if held else draw, said, Feed(work, self), of_line)
        late.feed.found.connect(lambda design, found, why: self._came(late, design, found, why))
        return late

    @property
    def field(self) -> "WindowField | None":
        """The field of the design in view, once it is solved."""
        return self.late["field"].found

    def show_design(self, design: Design, stage: str, corner: Corner, held: Design | None = None) -> None:
        """Show the pictures of a stage at a corner; a held design is drawn pale behind."""
        if design is not self._design or corner != self._corner:
            self.exact = None
        moved = self._corner is None or (corner.v_line, corner.f_line, corner.bus) != (self._corner.v_line, self._corner.f_line,
            self._corner.bus)
        for late in self.late.values():
            if design is not self._design or (late.of_line and moved):
                late.found = None
        self._design, self._corner, self._held = design, corner, held
        keys = pictures_of(design, stage)
        if keys != self._keys:
            self.tabs.blockSignals(True)
            while self.tabs.count():
                self.tabs.removeTab(0)
            for key in keys:
                self.tabs.addTab(PICTURES[key][0])
            self.tabs.blockSignals(False)
            self._keys = keys
        self._show()

    def choose(self, key: str) -> None:
        """Show one of the stage's pictures by its key. Raises ValueError where the stage has none of that key."""
        self.tabs.setCurrentIndex(self._keys.index(key))

    @property
    def busy(self) -> bool:
        """A picture is on its way from a worker."""
        return any(feed.busy for feed in self.feeds)

    @property
    def feeds(self) -> tuple[Feed, ...]:
        """The workers of the pictures, that of the switching period first."""
        return (self.feed, *(late.feed for late in self.late.values()))

    def stop(self) -> None:
        """End what is under way in the workers."""
        for feed in self.feeds:
            feed.stop()

    def next_tab(self) -> None:
        """The next picture of this stage."""
        self.tabs.setCurrentIndex((self.tabs.currentIndex() + 1) % max(self.tabs.count(), 1))

    @property
    def key(self) -> str:
        """The key of the picture in view."""
        return self._keys[max(self.tabs.currentIndex(), 0)] if self._keys else ""

    def _show(self) -> None:
        design, corner, held, found = self._design, self._corner, self._held, self.exact
        if design is None or corner is None or not self._keys:
            return
        if self.key != self._shown:
            self._shown = self.key
            self.view.clear_cursor()
        switching = self.key == "period"
        if switching and found is not None:
            self.view.set_source(lambda w, h: of("switching.exact_period")(design, found, w, h, held))
            self._show_instant()
            self.now.show()
            return
        if self.key in self.late:
            self._show_late(design, corner, self.late[self.key])
            return
        draw = PICTURES[self.key][1]
        self.view.set_source(lambda w, h: draw(design, corner, w, h, held))
        self.now.hide()
        if switching:
            self.feed.want(design, corner)
            self._say(f"{shown_at(corner)} · sized; exact follows{self._pale}")

    @property
    def _pale(self) -> str:
        return " · pale: the held design" if self._held is not None else ""

    def _captioned(self, caption: str) -> None:
        """What the picture in view says of itself: at which corner it is drawn, or what else it shows. The switching period and what comes
        from a worker tell their state instead."""
        if self.key != "period" and self.key not in self.late:
            self._say(caption + self._pale)

    def _arranged(self, text: str) -> None:
        """Another order of the windings; where it is a usual one it goes by its name."""
        from rhevectra.drawing.arrangements import DECISION

        if self._design is not None:
            self.decided.emit(DECISION, _by_name(self._design, text))

    def _foretold(self, text: str) -> str:
        """What another order of the windings would bring."""
        from rhevectra.drawing.arrangements import foretold

        return foretold(self._design, _by_name(self._design, text)) if self._design is not None else ""

    def _show_late(self, design: Design, corner: Corner, late: Late) -> None:
        """What came from the worker for this design, or that it is on its way."""
        found = late.found
        self.now.hide()
        self.view.set_source(lambda w, h: late.draw(design, found, w, h))
        at = f"{shown_at(corner)} · " if late.of_line else ""
        self._say(f"{at}{late.said}" if found is not None else f"{at}at work in the background")
        if found is None:
            late.feed.want(design, corner)

    def _came(self, late: Late, design: Design, found: Any, why: str) -> None:
        """It arrived: shown if its design is still the one on screen."""
        if design is not self._design or self._corner is None:
            return
        late.found = found
        if self.late.get(self.key) is late and found is not None:
            self._show_late(design, self._corner, late)
        elif found is None:
            self._say(f"nothing to show: {why[:80]}")

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._say(self.caption.toolTip())

    def _say(self, text: str) -> None:
        """The caption; a long one goes on in a second line, smaller; the whole of it is in its tool tip."""
        self.caption.setText(text)
        self.caption.setToolTip(text)
        room = self.caption.fontMetrics().horizontalAdvance(text) > self.width() - 16
        self.caption.setFixedHeight(self.caption.fontMetrics().lineSpacing() * (2 if room else 1))

    def _solved(self, design: Design, found: "Exact | None", why: str) -> None:
        """The exact period arrived: shown if it is still the one on screen."""
        if design is not self._design or found is None or found.corner != self._corner:
            if found is None and self._corner is not None:
                self._say(f"{shown_at(self._corner)} · sized; no exact period: {why[:80]}")
            return
        self.exact = found
        self.instant = min(self.instant, found.period) or 0.5 * (found.stretches[0].start + found.stretches[0].end)
        self._show()
        self.solved.emit(design, found)

    def set_instant(self, share: float) -> None:
        """Move the time cursor to a share of the period."""
        if self.exact is not None and self.key == "period":
            self.instant = min(max(share, 0.0), 1.0) * self.exact.period
            self._show_instant()

    def step_interval(self, direction: int) -> None:
        """Move the time cursor to the middle of the next or previous interval."""
        if self.exact is None or self.key != "period":
            return
        stretches = self.exact.stretches
        here = next((k for k, s in enumerate(stretches) if s.start <= self.instant <= s.end), 0)
        there = stretches[(here + direction) % len(stretches)]
        self.instant = 0.5 * (there.start + there.end)
        self.view.set_cursor(self.instant / self.exact.period)
        self._show_instant()

    def _show_instant(self) -> None:
        design, found, instant = self._design, self.exact, self.instant
        if design is None or found is None:
            return
        self.now.set_source(lambda w, h: of("circuit.conducting")(design, found, instant, w, h))
        self._say(f"{shown_at(found.corner)} · exact{self._pale}")


def _by_name(design: Design, text: str) -> str:
    """An order of the windings by its name, where it is a usual one."""
    from rhevectra.core.magnetics.arrangement import named
    from rhevectra.core.magnetics.transformer import wound

    plan = design.context["plan"]
    return named(text, [w.name for w in plan.need.windings],
                 [int(t[plan.choice.core, plan.choice.candidate]) for t in wound(plan.need, plan.choice.trial.turns)])
