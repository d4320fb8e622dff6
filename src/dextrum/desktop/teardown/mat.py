"""A mat on paper to lay screws on, in true size: the case, a ring for each fastener, a rule to check the printer by."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QBuffer, QIODevice, QMarginsF, QPointF, QRectF, Qt
from PySide6.QtGui import QPageLayout, QPageSize, QPainter, QPdfWriter, QPen, QPolygonF

from dextrum.core.board import Board
from dextrum.desktop.handover.pdf import MM_AN_INCH, PAGES, in_language, paper_font
from dextrum.desktop.teardown.case_plan import LABEL_LEFT_FROM, case_box
from dextrum.errors import EntryRefusedError
from dextrum.store.files import write_beside
from dextrum.tongue import tr

RESOLUTION = 300
MARGIN_MM, RULE_MM, RING_MM, MARK_MM, LABEL_MM = 10.0, 100.0, 3.5, 1.2, 30.0
HEAD_MM = 24.0
"""Room above the case for its name and the rule."""


def write_mat(board: Board, path: Path, over: bool = False, paper: str = "a4") -> None:
    """One page, across where the case is wider than the paper. Raises EntryRefusedError where it is too large for it,
    FileStandsError, ImportRefusedError."""
    box = case_box(board)
    page = QPageSize(PAGES.get(paper, PAGES["a4"]))
    across = box.width() > page.size(QPageSize.Unit.Millimeter).width() - 2 * MARGIN_MM
    made = QBuffer()
    made.open(QIODevice.OpenModeFlag.WriteOnly)
    writer = QPdfWriter(made)
    writer.setTitle(tr("{model} teardown mat", model=board.model))
    writer.setCreator("Dextrum")
    writer.setResolution(RESOLUTION)
    writer.setPageLayout(QPageLayout(
        page, QPageLayout.Orientation.Landscape if across else QPageLayout.Orientation.Portrait,
        QMarginsF(MARGIN_MM, MARGIN_MM, MARGIN_MM, MARGIN_MM), QPageLayout.Unit.Millimeter))
    scale = RESOLUTION / MM_AN_INCH
    if box.width() * scale > writer.width() or (box.height() + HEAD_MM) * scale > writer.height():
        raise EntryRefusedError(tr("The case of {width:g} × {height:g} mm is larger than the page.", width=box.width(),
                                   height=box.height()),
                                tr("Nothing was written."), tr("Larger paper: The shop… on Hand-over."))
    painter = QPainter(writer)
    painter.setPen(QPen(Qt.GlobalColor.black, 0.3 * scale))
    painter.setFont(paper_font(11.0))
    painter.drawText(QPointF(0, 5 * scale), tr("{model}, {revision}: lay each screw where it was", model=board.model,
                                               revision=board.revision))
    painter.setFont(paper_font(8.0))
    painter.drawLine(QPointF(0, 12 * scale), QPointF(RULE_MM * scale, 12 * scale))
    for mm in range(0, int(RULE_MM) + 1, 10):
        painter.drawLine(QPointF(mm * scale, 12 * scale), QPointF(mm * scale, (10 if mm % 50 else 8.5) * scale))
    painter.drawText(QPointF((RULE_MM + 2) * scale, 13 * scale), tr("100 mm: print without scaling"))

    def at(across: float, down: float) -> QPointF:
        return QPointF((across - box.left()) * scale, (down - box.top() + HEAD_MM) * scale)

    if board.case_mm:
        painter.drawPolygon(QPolygonF([at(x, y) for x, y in board.case_mm]))
    for one in board.fasteners:
        middle = at(one.x_mm, one.y_mm)
        painter.setPen(QPen(Qt.GlobalColor.black, 0.25 * scale,
                            Qt.PenStyle.SolidLine if one.kind == "screw" else Qt.PenStyle.DashLine))
        ring = RING_MM if one.kind == "screw" else MARK_MM
        painter.drawEllipse(middle, ring * scale, ring * scale)
        words = tr("{id} {length_mm:g} mm", id=one.id,
                   length_mm=one.length_mm) if one.length_mm else f"{one.id} {one.kind}"
        left = one.x_mm > box.left() + LABEL_LEFT_FROM * box.width()
        room = QRectF(middle.x() + (-(ring + 1) - LABEL_MM if left else ring + 1) * scale, middle.y() - 3 * scale,
                      LABEL_MM * scale, 6 * scale)
        painter.drawText(room, int(Qt.AlignmentFlag.AlignVCenter | (
            Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft)), words)
    painter.end()
    del painter, writer
    made.close()
    write_beside(path, in_language(bytes(made.data().data()), path), over)
