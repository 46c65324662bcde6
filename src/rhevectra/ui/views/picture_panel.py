"""The pictures of the chosen stage, as tabs, with the corner they are drawn at."""

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QTabBar, QVBoxLayout, QWidget

from rhevectra.core.basis.corners import Corner
from rhevectra.core.design.design import Design
from rhevectra.drawing.pictures import PICTURES, STAGE_PICTURES, shown_at
from rhevectra.ui.pictures.canvas import PictureView


class PicturePanel(QFrame):
    """Tabs over one picture."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("card")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(6, 4, 6, 6)
        top = QHBoxLayout()
        self.tabs = QTabBar(self)
        self.tabs.setDrawBase(False)
        self.tabs.setExpanding(False)
        self.tabs.setUsesScrollButtons(False)
        self.tabs.setAccessibleName("pictures of this stage")
        self.caption = QLabel(self)
        self.caption.setObjectName("muted")
        top.addWidget(self.tabs)
        top.addStretch(1)
        layout.addLayout(top)
        self.view = PictureView(self)
        layout.addWidget(self.view, 1)
        self.caption.setAlignment(Qt.AlignmentFlag.AlignRight)
        layout.addWidget(self.caption)
        self._keys: tuple[str, ...] = ()
        self._design: Design | None = None
        self._corner: Corner | None = None
        self._held: Design | None = None
        self.tabs.currentChanged.connect(lambda _i: self._show())

    def show_design(self, design: Design, stage: str, corner: Corner, held: Design | None = None) -> None:
        """Show the pictures of a stage at a corner; a held design is drawn pale behind."""
        self._design, self._corner, self._held = design, corner, held
        keys = STAGE_PICTURES.get(stage, ("loss",))
        if keys != self._keys:
            self.tabs.blockSignals(True)
            while self.tabs.count():
                self.tabs.removeTab(0)
            for key in keys:
                self.tabs.addTab(PICTURES[key][0])
            self.tabs.blockSignals(False)
            self._keys = keys
        self._show()

    def next_tab(self) -> None:
        """The next picture of this stage."""
        self.tabs.setCurrentIndex((self.tabs.currentIndex() + 1) % max(self.tabs.count(), 1))

    def _show(self) -> None:
        design, corner, held = self._design, self._corner, self._held
        if design is None or corner is None or not self._keys:
            return
        draw = PICTURES[self._keys[max(self.tabs.currentIndex(), 0)]][1]
        self.view.set_source(lambda w, h: draw(design, corner, w, h, held))
        self.caption.setText(shown_at(corner) + (" · pale: the held design" if held is not None else ""))
