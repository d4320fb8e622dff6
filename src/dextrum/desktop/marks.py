"""Our own marks for verdicts: a shape for each, so that none rests on colour alone."""

from __future__ import annotations

from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from dextrum.core.reference.judge import Verdict


def draw_mark(painter: QPainter, verdict: Verdict, x: float, y: float, size: float, colour: QColor) -> None:
    """Draw a verdict's mark centred on (x, y), about `size` pixels high."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    half = size / 2
    pen = QPen(colour, max(2.0, size / 8))
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(pen)
    if verdict is Verdict.WITHIN:
        painter.fillRect(QRectF(x - size * 0.16, y - half, size * 0.32, size), colour)
    elif verdict is Verdict.GROUNDED:
        painter.drawLine(QPointF(x, y - half), QPointF(x, y))
        for i, share in enumerate((1.0, 0.64, 0.3)):
            painter.drawLine(QPointF(x - half * share, y + i * size * 0.2),
                             QPointF(x + half * share, y + i * size * 0.2))
    elif verdict is Verdict.PARTIAL_SHORT:
        painter.drawLine(QPointF(x, y - half), QPointF(x, y + half * 0.3))
        painter.drawLine(QPointF(x - half, y + half * 0.3), QPointF(x - half * 0.25, y + half * 0.3))
        painter.drawLine(QPointF(x + half * 0.25, y + half * 0.3), QPointF(x + half, y + half * 0.3))
    elif verdict is Verdict.OPEN:
        for side in (-1, 1):
            painter.drawLine(QPointF(x + side * half * 1.1, y), QPointF(x + side * half * 0.45, y))
            painter.drawLine(QPointF(x + side * half * 0.45, y - half * 0.6),
                             QPointF(x + side * half * 0.45, y + half * 0.6))
    elif verdict in (Verdict.LOW, Verdict.HIGH):
        tip = half if verdict is Verdict.LOW else -half
        painter.setBrush(colour)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.drawPolygon(QPolygonF([QPointF(x - half * 0.8, y - tip * 0.5), QPointF(x + half * 0.8, y - tip * 0.5),
                                       QPointF(x, y + tip * 0.9)]))
    elif verdict is Verdict.WAVERING:
        points = [QPointF(x - half + i * size / 4, y + (half * 0.5 if i % 2 else -half * 0.5)) for i in range(5)]
        for a, b in pairwise(points):
            painter.drawLine(a, b)
    else:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(x, y), half * 0.5, half * 0.5)
    painter.restore()
