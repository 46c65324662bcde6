"""What is handed on in files: pages as a PDF, always in the light theme."""

from collections.abc import Callable, Sequence
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QSizeF
from PySide6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter
from PySide6.QtWidgets import QApplication

from rhevectra.app import dossier
from rhevectra.core.basis.errors import InputError
from rhevectra.core.design.design import Design
from rhevectra.core.topologies.common.making import as_text
from rhevectra.drawing.display import Picture
from rhevectra.drawing.sheet import has_sheet, pages, sheet_of
from rhevectra.project.store import write_bytes, write_text
from rhevectra.ui.main import prepare_platform
from rhevectra.ui.pictures.canvas import paint
from rhevectra.ui.theme import roles

_DPI = 600


def write_winding(design: Design, title: str, path: Path) -> None:
    """The winding sheet of a design: its steps as text where the name ends in .txt, else its pages as PDF. Raises InputError where there is
    none or the file cannot be written."""
    if not has_sheet(design):
        raise InputError("decisions.topology", f"{design.topology} has no transformer to wind", "a topology with one")
    if path.suffix.lower() == ".txt":
        write_text(str(path), as_text(sheet_of(design)))
    else:
        write_pdf(path, pages(design, title), f"winding sheet: {title}")


def write_dossier(design: Design, title: str, path: Path) -> None:
    """The whole design on paper, with the winding sheet where there is a transformer. Raises InputError where the file cannot be
    written."""
    write_pdf(path, dossier.whole(design, title), f"design: {title}")


def alone(write: Callable[[Design, str, Path], None], design: Design, title: str, path: Path) -> None:
    """The same without a window: the application is made first."""
    prepare_platform()
    application = QApplication.instance() or QApplication(roles.ARGUMENTS)
    roles.load_fonts()
    write(design, title, path)
    assert application is not None


def write_pdf(path: Path, pages: Sequence[Picture], title: str) -> None:
    """Write pictures as pages of their own size [mm]; what was there stays until all of them are. Raises InputError where the file cannot
    be written."""
    if not path.parent.is_dir():
        raise InputError(str(path), "the folder does not exist", "a folder that may be written")
    made = QBuffer()
    made.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(made)
    writer.setResolution(_DPI)
    writer.setTitle(title)
    writer.setPageMargins(QMarginsF(0, 0, 0, 0))
    painter = QPainter()
    try:
        with roles.light():
            for k, page in enumerate(pages):
                writer.setPageSize(QPageSize(QSizeF(page.width, page.height), QPageSize.Unit.Millimeter))
                writer.setPageOrientation(QPageLayout.Orientation.Portrait)
                if k == 0:
                    painter.begin(writer)
                else:
                    writer.newPage()
                paint(painter, page, _DPI / 25.4)
    finally:
        painter.end()  # before writer and buffer go, in whatever order
    write_bytes(path, bytes(made.data().data()))
