"""Sheets and labels as PDF: selectable text, tables held together, on pages or on a roll."""

from __future__ import annotations

import io
from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QRectF, QSizeF, Qt
from PySide6.QtGui import (
    QFont,
    QFontMetricsF,
    QImage,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextCursor,
    QTextDocument,
    QTextFormat,
    QTextTable,
)

from dextrum.app.handover.label import Label
from dextrum.desktop.theme import FAMILY
from dextrum.errors import StoreError
from dextrum.store.files import write_beside
from dextrum.tongue import tr

RESOLUTION = 150
MM_AN_INCH = 25.4
ROLLS_MM = {"roll58": 58.0, "roll62": 62.0, "roll80": 80.0}
PAGES = {"a4": QPageSize.PageSizeId.A4, "letter": QPageSize.PageSizeId.Letter}
PAGE_MARGINS, ROLL_MARGIN = QMarginsF(18, 16, 18, 16), 3.0
LONGEST_ROLL_MM = 2000.0
LABEL_HIGH_MM = 29.0
LANGUAGE = "en"


def write_pdf(html: str, path: Path, title: str, over: bool = False, paper: str = "a4",
              language: str = LANGUAGE) -> None:
    """Selectable text; made in memory, so that what is written is whole or not there. paper: of
    `app.handover.shop_paper.PAPERS`. May be called beside the window. Raises FileStandsError, ImportRefusedError, see
    `write_beside`."""
    document = QTextDocument()
    document.setDefaultFont(paper_font(8.5 if paper in ROLLS_MM else 10.5))
    made = QBuffer()
    made.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(made)
    writer.setTitle(title)
    writer.setCreator("Dextrum")
    writer.setResolution(RESOLUTION)
    text = html.replace("font-family: Inter, sans-serif;", "")
    if paper in ROLLS_MM:
        wide = ROLLS_MM[paper]
        _lay_out(writer, QPageSize(QSizeF(wide, LONGEST_ROLL_MM), QPageSize.Unit.Millimeter), ROLL_MARGIN)
        document.documentLayout().setPaintDevice(writer)
        document.setPageSize(QSizeF(writer.width(), -1))
        document.setHtml(text)
        high = document.size().height() / RESOLUTION * MM_AN_INCH + 2 * ROLL_MARGIN + 2.0
        _lay_out(writer, QPageSize(QSizeF(wide, min(high, LONGEST_ROLL_MM)), QPageSize.Unit.Millimeter), ROLL_MARGIN)
        document.setPageSize(QSizeF(writer.width(), writer.height()))
    else:
        writer.setPageLayout(QPageLayout(QPageSize(PAGES.get(paper, PAGES["a4"])), QPageLayout.Orientation.Portrait,
                                         PAGE_MARGINS, QPageLayout.Unit.Millimeter))
        document.documentLayout().setPaintDevice(writer)
        document.setPageSize(QSizeF(writer.width(), writer.height()))
        document.setHtml(text)
        _hold_tables_together(document)
    document.print_(writer)
    del writer
    made.close()
    write_beside(path, in_language(bytes(made.data().data()), path, language), over)


def paper_font(points: float) -> QFont:
    font = QFont(FAMILY)
    font.setPointSizeF(points)
    # Substituted glyphs (contextual alternates, tabular figures) come out of a PDF as unknown letters when the
    # text is copied, so the paper does without both.
    font.setFeature(QFont.Tag("calt"), 0)
    font.setFeature(QFont.Tag("tnum"), 0)
    return font


def _lay_out(writer: QPdfWriter, size: QPageSize, margin_mm: float) -> None:
    writer.setPageLayout(QPageLayout(size, QPageLayout.Orientation.Portrait,
                                     QMarginsF(margin_mm, margin_mm, margin_mm, margin_mm),
                                     QPageLayout.Unit.Millimeter))


def _hold_tables_together(document: QTextDocument) -> None:
    """A table that would be cut by the end of a page, and fits on one, begins on the next with its heading."""
    high = document.pageSize().height()
    layout = document.documentLayout()
    for frame in list(document.rootFrame().childFrames()):
        if not isinstance(frame, QTextTable):
            continue
        box = layout.frameBoundingRect(frame)
        heading = document.findBlock(frame.firstPosition() - 2)
        top = layout.blockBoundingRect(heading).top() if heading.isValid() else box.top()
        fits = box.bottom() - top < high
        if fits and int(top // high) != int((box.bottom() - 1) // high) and heading.isValid():
            cursor = QTextCursor(heading)
            shape = heading.blockFormat()
            shape.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
            cursor.setBlockFormat(shape)


def in_language(data: bytes, path: Path, language: str = LANGUAGE) -> bytes:
    """The same PDF with its language said, which screen readers go by. Raises StoreError where it is not whole."""
    from pypdf import PdfReader, PdfWriter
    from pypdf.errors import PyPdfError
    from pypdf.generic import NameObject, TextStringObject

    refused = StoreError(tr("{path} was not written: the page could not be drawn.",
                            path=path.name), tr("The job is kept."), tr("Try again."))
    if not data.rstrip().endswith(b"%%EOF"):
        raise refused
    try:
        writer = PdfWriter(clone_from=PdfReader(io.BytesIO(data)))
        writer.root_object[NameObject("/Lang")] = TextStringObject(language)
        out = io.BytesIO()
        writer.write(out)
    except PyPdfError as problem:
        raise refused from problem
    return out.getvalue()


def write_label(label: Label, path: Path, over: bool = False, paper: str = "roll62") -> None:
    """A label as wide as the roll, its code on the left. Raises FileStandsError, ImportRefusedError."""
    import base64

    from dextrum.app.handover.shelf_sheet import code_picture

    wide_mm = ROLLS_MM.get(paper, ROLLS_MM["roll62"])
    made = QBuffer()
    made.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(made)
    writer.setTitle(tr("{name} label", name=label.serial))
    writer.setCreator("Dextrum")
    writer.setResolution(300)
    _lay_out(writer, QPageSize(QSizeF(wide_mm, LABEL_HIGH_MM), QPageSize.Unit.Millimeter), 1.5)
    painter = QPainter(writer)
    wide, high = float(writer.width()), float(writer.height())
    code = QImage.fromData(base64.b64decode(code_picture(label.code).partition(",")[2]))
    side = min(high, wide * 0.4)
    painter.drawImage(QRectF(0, (high - side) / 2, side, side), code)
    left = side + wide * 0.03
    room = QRectF(left, 0, wide - left, high)
    font = paper_font(15.0)
    font.setWeight(QFont.Weight.DemiBold)
    while font.pointSizeF() > 7.0 and QFontMetricsF(font, writer).horizontalAdvance(label.serial) > room.width():
        font.setPointSizeF(font.pointSizeF() - 0.5)
    painter.setFont(font)
    flags = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap)
    used = painter.boundingRect(room, flags, label.serial)
    painter.drawText(room, flags, label.serial)
    painter.setFont(paper_font(7.5))
    top = used.bottom() + 4
    for line in label.lines:
        box = QRectF(left, top, room.width(), high - top)
        painter.drawText(box, flags, line)
        top = painter.boundingRect(box, flags, line).bottom()
    painter.end()
    del painter, writer
    made.close()
    write_beside(path, in_language(bytes(made.data().data()), path), over)
