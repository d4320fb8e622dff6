"""A photo of a board: read within bounds, its orientation tag obeyed, set right from its four corners, written anew.

Written anew means that nothing but the picture stays: place, time, camera and whatever else a file may carry are gone.
"""

from __future__ import annotations

import re
from pathlib import Path

from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QPointF, QSize, Qt
from PySide6.QtGui import QImage, QImageReader, QPainter, QPolygonF, QTransform

from dextrum.errors import EntryRefusedError, ImportRefusedError
from dextrum.store.files import read_bounded

MOST_BYTES = 60_000_000
MOST_PIXELS = 60_000_000
FORMATS = ("png", "jpg", "jpeg", "webp")
PIXELS_A_MM = 40.0
"""Of a picture set right: a pad of half a millimetre is twenty pixels."""
MOST_SIDE = 4000
QUALITY = 88
LEAST_SPAN = 40.0
"""Pixels that the corners must be apart: less is a slip of the hand."""
LEAST_MM, MOST_MM = 5.0, 400.0


def read_photo(path: Path) -> QImage:
    """The picture, upright. Raises ImportRefusedError for what is none, is broken, or is too large."""
    data = read_bounded(path, MOST_BYTES)
    buffer = QBuffer()
    buffer.setData(QByteArray(data))
    buffer.open(QIODevice.OpenModeFlag.ReadOnly)
    reader = QImageReader(buffer)
    reader.setAutoTransform(True)
    kind = bytes(reader.format().data()).decode(errors="replace")
    kept, next_step = "Nothing was taken in.", "A PNG, JPEG or WebP of up to 60 megapixels is read."
    if kind not in FORMATS:
        raise ImportRefusedError(f"{path.name[:60]} is no picture that is read here.", kept, next_step)
    size = reader.size()
    if not size.isValid() or size.width() * size.height() > MOST_PIXELS:
        raise ImportRefusedError(f"{path.name[:60]} has {size.width()} × {size.height()} pixels.", kept, next_step)
    image = reader.read()
    if image.isNull():
        raise ImportRefusedError(f"{path.name[:60]} is broken ({reader.errorString()}).", kept, next_step)
    return image.convertToFormat(QImage.Format.Format_RGB32)


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


def as_jpeg(image: QImage) -> bytes:
    """The picture alone, as it is kept in a pack."""
    data = QByteArray()
    buffer = QBuffer(data)
    buffer.open(QIODevice.OpenModeFlag.WriteOnly)
    image.save(buffer, "JPEG", QUALITY)  # type: ignore[call-overload]
    return bytes(data.data())
