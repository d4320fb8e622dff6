"""The hand-over sheet as PDF."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QSizeF
from PySide6.QtGui import QFont, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from dextrum.desktop.theme import FAMILY
from dextrum.errors import StoreError
from dextrum.store.files import write_beside


def write_pdf(html: str, path: Path, title: str, over: bool = False) -> None:
    """A4, selectable text; made in memory, so that what is written is whole or not there. Raises FileStandsError,
    ImportRefusedError, see `write_beside`."""
    made = QBuffer()
    made.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(made)
    writer.setTitle(title)
    writer.setCreator("Dextrum")
    writer.setResolution(150)
    writer.setPageLayout(QPageLayout(QPageSize(QPageSize.PageSizeId.A4), QPageLayout.Orientation.Portrait,
                                     QMarginsF(18, 16, 18, 16), QPageLayout.Unit.Millimeter))
    document = QTextDocument()
    font = QFont(FAMILY)
    font.setPointSizeF(10.5)
    # Substituted glyphs (contextual alternates, tabular figures) come out of a PDF as unknown letters when the
    # text is copied, so the paper does without both.
    font.setFeature(QFont.Tag("calt"), 0)
    font.setFeature(QFont.Tag("tnum"), 0)
    document.setDefaultFont(font)
    document.documentLayout().setPaintDevice(writer)
    document.setPageSize(QSizeF(writer.width(), writer.height()))
    document.setHtml(html.replace("font-family: Inter, sans-serif;", ""))
    document.print_(writer)
    del writer
    made.close()
    data = bytes(made.data().data())
    if not data.rstrip().endswith(b"%%EOF"):
        raise StoreError(f"{path.name} was not written: the page could not be drawn.", "The job is kept.", "Try again.")
    write_beside(path, data, over)
