"""The hand-over sheet as PDF."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QMarginsF, QSizeF
from PySide6.QtGui import QFont, QPageLayout, QPageSize, QPdfWriter, QTextDocument

from dextrum.desktop.theme import FAMILY
from dextrum.errors import StoreError


def write_pdf(html: str, path: Path, title: str) -> None:
    """A4, selectable text. Written beside and moved into place. Raises StoreError when it can't be written."""
    part = path.with_name(path.name + ".part")
    writer = QPdfWriter(str(part))
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
    try:
        if not part.exists() or part.stat().st_size == 0:
            raise OSError("nothing was written")
        part.replace(path)
    except OSError as problem:
        raise StoreError(f"{path.name} was not written ({problem.strerror or problem}).", "The job is kept.",
                         "Choose another place.") from problem
