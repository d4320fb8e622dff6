"""A photo of a board, set right from its four corners."""

from __future__ import annotations

import re

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QPolygonF, QTransform

from dextrum.errors import EntryRefusedError

PIXELS_A_MM = 40.0
"""Of a picture set right: a pad of half a millimetre is twenty pixels."""
MOST_SIDE = 4000
LEAST_SPAN = 40.0
"""Pixels that the corners must be apart: less is a slip of the hand."""
LEAST_MM, MOST_MM = 5.0, 400.0


def parse_size(text: str) -> tuple[float, float]:
    """'62 x 31' in millimetres, width first. Raises EntryRefusedError."""
    number = r"(\d+(?:[.,]\d+)?)\s*(?:mm)?"
    found = re.fullmatch(rf"\s*{number}\s*[x×*]\s*{number}\s*", text, re.IGNORECASE)
    sides = tuple(float(part.replace(",", ".")) for part in found.groups()) if found else ()
    if len(sides) != 2 or not all(LEAST_MM <= side <= MOST_MM for side in sides):
        raise EntryRefusedError(f"{text.strip()[:20]!r} is no size of a board.", "The corners are kept.",
                                "Width and height in millimetres, such as 62 x 31.")
    return sides[0], sides[1]


def checked_corners(corners: tuple[QPointF, ...]) -> None:
    """Raises EntryRefusedError where four corners, clockwise from the top left, are no board seen from above."""
    if len(corners) != 4:
        raise EntryRefusedError(f"{len(corners)} of four corners are chosen.", "They are kept.", "Choose the rest.")
    turns = []
    for k in range(4):
        a, b, c = corners[k], corners[(k + 1) % 4], corners[(k + 2) % 4]
        turns.append((b.x() - a.x()) * (c.y() - b.y()) - (b.y() - a.y()) * (c.x() - b.x()))
        if (b - a).manhattanLength() < LEAST_SPAN:
            raise EntryRefusedError("Two corners lie on one another.", "They are kept.", "Go back and choose again.")
    if not all(turn > 0 for turn in turns):
        raise EntryRefusedError("The corners cross, or go the other way round.", "They are kept.",
                                "Clockwise, from the top left as the photo shows it.")


def set_right(image: QImage, corners: tuple[QPointF, ...], width_mm: float, height_mm: float) -> QImage:
    """The board alone, as seen straight from above: the perspective through the four corners undone.

    Raises EntryRefusedError for corners that are none.
    """
    checked_corners(corners)
    scale = min(PIXELS_A_MM, MOST_SIDE / max(width_mm, height_mm))
    size = QSize(round(width_mm * scale), round(height_mm * scale))
    flat = QPolygonF([QPointF(0, 0), QPointF(size.width(), 0), QPointF(size.width(), size.height()),
                      QPointF(0, size.height())])
    found = QTransform()
    if not QTransform.quadToQuad(QPolygonF(list(corners)), flat, found):
        raise EntryRefusedError("No board lies between these corners.", "They are kept.", "Choose them again.")
    straight = QImage(size, QImage.Format.Format_RGB32)
    straight.fill(Qt.GlobalColor.black)
    painter = QPainter(straight)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setTransform(found)
    painter.drawImage(0, 0, image)
    painter.end()
    return straight
