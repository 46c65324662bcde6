"""Theme roles: the light theme's colours, the shipped typeface, the style sheet made from them."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from functools import cache
from pathlib import Path

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPalette
from PySide6.QtWidgets import QApplication, QWidget

LIGHT = {
    "paper": "#f6f4ee", "card": "#fffdf8", "rule": "#d9d4c7", "ink": "#1d2b2f", "muted": "#5c6a6d", "accent": "#0e6a68",
    "primary": "#3a4a97", "secondary": "#97571b", "aux": "#4c672e",
    "inside": "#3d6a4e", "tight": "#8a5a00", "over": "#ad2f1c", "rail": "#ece7db", "tape": "#e6cf8f", "margin": "#efe9da",
    "core": "#8b8f90", "pale": "#c3bcab",
    "heat1": "#f0e3cf", "heat2": "#e4c08f", "heat3": "#d3925a", "heat4": "#b45f37", "heat5": "#82301f"}
DARK = {
    "paper": "#14191b", "card": "#1c2326", "rule": "#3a454a", "ink": "#e8e5dc", "muted": "#a3afb3", "accent": "#5fc7c0",
    "primary": "#a3b4ff", "secondary": "#e3a868", "aux": "#aecb8e",
    "inside": "#8ac59d", "tight": "#e6b455", "over": "#ff9580", "rail": "#0f1416", "tape": "#7a6a35", "margin": "#273034",
    "core": "#667075", "pale": "#566368",
    "heat1": "#3a3028", "heat2": "#6b4a2c", "heat3": "#a06a35", "heat4": "#d08f4a", "heat5": "#ffc27a"}
THEMES = {"light": LIGHT, "dark": DARK}
TEXT_ROLES = ("ink", "muted", "accent", "primary", "secondary", "aux", "inside", "tight", "over")
"""Roles that colour text; each reads on card and paper with a contrast of at least 4.5 : 1."""
FAMILY = "Source Sans Pro"
BASE_POINTS = 10.5
ARGUMENTS = ["rhevectra", "-style", "fusion"]
"""What the application is made with: setting the style afterwards costs 17 ms, for it hands out the style with all its names."""


_shown = {"theme": "light"}
_on_paper = ContextVar("on paper", default=False)
"""Each thread has its own: a page may be written while the window paints itself dark."""


def theme() -> str:
    """The name of the theme in use."""
    return "light" if _on_paper.get() else _shown["theme"]


def colour(role: str) -> QColor:
    """The colour of a role in the theme in use; it is shared: to change it take a copy."""
    return _colour(theme(), role)


@cache
def _colour(name: str, role: str) -> QColor:
    return QColor(THEMES[name][role])


@contextmanager
def light() -> Iterator[None]:
    """The light theme's colours for a while: what is printed, whatever the window shows."""
    before = _on_paper.set(True)
    try:
        yield
    finally:
        _on_paper.reset(before)


def contrast(a: str, b: str) -> float:
    """Contrast ratio of two `#rrggbb` colours (relative luminance formula of WCAG 2)."""
    def luminance(text: str) -> float:
        parts = [int(text[i : i + 2], 16) / 255 for i in (1, 3, 5)]
        linear = [p / 12.92 if p <= 0.03928 else ((p + 0.055) / 1.055) ** 2.4 for p in parts]
        return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]
    high, low = sorted((luminance(a), luminance(b)), reverse=True)
    return (high + 0.05) / (low + 0.05)


def load_fonts() -> None:
    """Register the shipped typeface."""
    folder = Path(__file__).parent / "fonts"
    for name in ("SourceSansPro-Regular.ttf", "SourceSansPro-Semibold.ttf"):
        QFontDatabase.addApplicationFontFromData((folder / name).read_bytes())


def font(points: float = BASE_POINTS, bold: bool = False) -> QFont:
    """The typeface at a size."""
    made = QFont(FAMILY)
    made.setPointSizeF(points)
    made.setWeight(QFont.Weight.DemiBold if bold else QFont.Weight.Normal)
    return made


def fill(painter: QPainter, box: QRect | QRectF, shade: QColor | Qt.GlobalColor) -> None:
    """A box in one colour. The toolkit's own `fillRect` first makes a list of 170 gradients, which a start would wait for."""
    painter.save()
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shade)
    painter.drawRect(box)
    painter.restore()


def start(application: QApplication, name: str = "light") -> None:
    """Typeface and palette for the whole application, before there is a window; an unknown name takes the light theme."""
    load_fonts()
    application.setFont(font())
    _set_palette(application, name)


def apply(application: QApplication, name: str) -> None:
    """Palette and style sheet of a theme. In place of another sheet every part would be polished once for each that it lies in, ten times
    over; taken off first, twice."""
    application.setStyleSheet("")
    _set_palette(application, name)
    dress(application)


def dress(application: QApplication) -> None:
    """The style sheet of the theme: once the window stands, for while it is built every part would be polished again whenever it is put
    into another."""
    application.setStyleSheet(_sheet())


def look_as(widget: QWidget, name: str) -> None:
    """Give a widget the look the style sheet has for a name, where it does not have it yet."""
    if widget.objectName() != name:
        widget.setObjectName(name)
        widget.style().unpolish(widget)
        widget.style().polish(widget)


def _set_palette(application: QApplication, name: str) -> None:
    _shown["theme"] = name if name in THEMES else "light"
    palette = QPalette()
    for role, name in ((QPalette.ColorRole.Window, "paper"), (QPalette.ColorRole.Base, "card"), (QPalette.ColorRole.AlternateBase, "paper"),
                       (QPalette.ColorRole.Button, "card"),
                       (QPalette.ColorRole.WindowText, "ink"), (QPalette.ColorRole.Text, "ink"), (QPalette.ColorRole.ButtonText, "ink"),
                       (QPalette.ColorRole.Highlight, "accent"),
                       (QPalette.ColorRole.HighlightedText, "card"), (QPalette.ColorRole.PlaceholderText, "muted"),
                       (QPalette.ColorRole.ToolTipBase, "card"), (QPalette.ColorRole.ToolTipText, "ink"),
                       (QPalette.ColorRole.Link, "accent")):
        palette.setColor(role, colour(name))
    application.setPalette(palette)


def _sheet() -> str:
    c = THEMES[theme()]
    return f"""
    QMainWindow, QDialog {{ background: {c['paper']}; }}
    QFrame#card {{ background: {c['card']}; border: 1px solid {c['rule']}; border-radius: 3px; }}
    QWidget#body {{ background: {c['card']}; }}
    QLabel#title {{ font-weight: 600; }}
    QLabel#muted {{ color: {c['muted']}; }}
    QLabel#problem {{ color: {c['over']}; }}
    QLineEdit, QComboBox {{ background: {c['card']}; border: 1px solid {c['rule']}; border-radius: 3px; padding: 2px 5px; min-height: 20px;
        selection-background-color: {c['accent']}; selection-color: {c['card']}; }}
    QLineEdit:focus, QComboBox:focus {{ border: 1px solid {c['accent']}; }}
    QComboBox::drop-down {{ border: none; width: 10px; }}
    QToolButton, QPushButton {{ background: {c['card']}; border: 1px solid {c['rule']}; border-radius: 3px; padding: 3px 8px; }}
    QToolButton:disabled {{ color: {c['pale']}; }}
    QToolButton:checked, QPushButton:checked {{ background: {c['accent']}; color: {c['card']}; border-color: {c['accent']}; }}
    QToolButton:focus, QPushButton:focus {{ border: 1px solid {c['accent']}; }}
    QRadioButton::indicator {{ width: 12px; height: 12px; border: 1px solid {c['muted']}; border-radius: 7px; background: {c['card']}; }}
    QRadioButton::indicator:checked {{ background: {c['accent']}; border-color: {c['accent']}; }}
    QRadioButton:focus {{ background: {c['rail']}; border-radius: 3px; }}
    QTabBar QToolButton {{ padding: 0; border: none; }}
    QToolButton#pin {{ padding: 3px 2px; }}
    QToolButton#switch {{ border: none; background: transparent; color: {c['muted']}; padding: 1px 5px; }}
    QToolButton#switch:checked {{ background: transparent; color: {c['accent']}; font-weight: 600; }}
    QToolButton#switch:focus {{ text-decoration: underline; }}
    QToolButton#link {{ border: none; background: transparent; color: {c['accent']}; padding: 1px 2px; }}
    QToolButton#link:disabled {{ color: {c['muted']}; }}
    QToolButton#link:focus {{ text-decoration: underline; }}
    QFrame#bar {{ background: {c['margin']}; border-bottom: 1px solid {c['rule']}; }}
    QFrame#palette {{ background: {c['card']}; border: 2px solid {c['accent']}; border-radius: 3px; }}
    QScrollBar:vertical {{ background: transparent; width: 11px; margin: 0; }}
    QScrollBar::handle:vertical {{ background: {c['rule']}; border-radius: 4px; min-height: 28px; margin: 1px 2px; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ height: 0; width: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QToolButton#rail {{ border: none; border-radius: 0; background: {c['rail']}; padding: 12px 4px; }}
    QToolButton#rail:checked {{ background: {c['paper']}; color: {c['ink']}; border-left: 3px solid {c['accent']}; font-weight: 600; }}
    QToolButton#rail:focus {{ text-decoration: underline; }}
    QWidget#rail {{ background: {c['rail']}; }}
    QTableWidget {{ background: {c['card']}; border: none; gridline-color: {c['rule']}; }}
    QTableWidget::item {{ padding: 2px 4px; border-bottom: 1px solid {c['rule']}; }}
    QTableWidget::item:selected {{ background: {c['rail']}; color: {c['ink']}; }}
    QListWidget {{ background: {c['card']}; border: none; }}
    QListWidget::item:selected {{ background: {c['rail']}; color: {c['ink']}; }}
    QTextBrowser {{ background: {c['margin']}; color: {c['ink']}; border: none; border-radius: 3px; }}
    QScrollArea {{ border: none; background: transparent; }}
    QTabBar::tab {{ background: transparent; border: none; padding: 4px 10px; color: {c['muted']}; }}
    QTabBar::tab:selected {{ color: {c['accent']}; font-weight: 600; border-bottom: 2px solid {c['accent']}; }}
    QMenuBar {{ background: {c['paper']}; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {c['accent']}; color: {c['card']}; }}
    QMenu {{ background: {c['card']}; border: 1px solid {c['rule']}; }}
    QStatusBar {{ background: {c['paper']}; color: {c['muted']}; }}
    QSplitter::handle {{ background: {c['paper']}; }}
    QToolTip {{ background: {c['card']}; color: {c['ink']}; border: 1px solid {c['rule']}; }}
    """
