"""What was seen on a board, over its plan: a ring round each part that is amiss, and the word."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QFont, QPainter, QPen

from dextrum.core.trail import PartSeen
from dextrum.desktop.theme import look

if TYPE_CHECKING:
    from dextrum.desktop.board.board_plan import BoardPlan


def paint_seen(plan: BoardPlan, painter: QPainter) -> None:
    """Parts that were seen to be amiss: a ring, dashed where the part is missing, and the word."""
    assert plan.board is not None
    scale = plan._scale()
    painter.setFont(look.font(12, QFont.Weight.DemiBold))
    taken: list[QRectF] = []
    for part in plan.board.components:
        if plan.pane_of(part.side) is None or part.designator not in plan.seen:
            continue
        what = plan.seen[part.designator]
        middle = plan.place(part.x_mm, part.y_mm, part.side)
        wide, high = part.width_mm * scale + look.px(8), part.height_mm * scale + look.px(8)
        ring = QRectF(middle.x() - wide / 2, middle.y() - high / 2, wide, high)
        dashed = Qt.PenStyle.DashLine if what == "missing" else Qt.PenStyle.SolidLine
        painter.setPen(QPen(look.colour("above"), 2.5, dashed))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(ring, 3, 3)
        words = PartSeen(part.designator, what).words
        label = QRectF(painter.fontMetrics().boundingRect(words)).adjusted(-4, -1, 4, 1)
        label.moveCenter(QPointF(ring.center().x(), ring.top() - label.height() / 2 - 2))
        left = min(max(label.left(), 4.0), plan.width() - label.width() - 4.0)
        label.moveLeft(left)
        while any(label.intersects(other) for other in taken) and label.top() > label.height():
            label.moveBottom(label.top() - 2)
        if label.top() < 2:
            label.moveTop(ring.bottom() + 2)
        taken.append(label)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.colour("lit"))
        painter.drawRoundedRect(label, 3, 3)
        painter.setPen(look.colour("ink"))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)
