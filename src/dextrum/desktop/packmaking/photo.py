"""A photo of a board, set right from its four corners and what else is known of it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QTransform

from dextrum.core.packmaking.photo_fit import MOST_RESIDUAL_MM, KnownPoint, carried, homography, residuals
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

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
        raise EntryRefusedError(tr("{text!r} is no size of a board.",
                                   text=text.strip()[:20]), tr("The corners are kept."),
                                tr("Width and height in millimetres, such as 62 x 31."))
    return sides[0], sides[1]


def checked_corners(corners: tuple[QPointF, ...]) -> None:
    """Raises EntryRefusedError where four corners, clockwise from the top left, are no board seen from above."""
    if len(corners) != 4:
        raise EntryRefusedError(tr("{count} of four corners are chosen.",
                                   count=len(corners)), tr("They are kept."), tr("Choose the rest."))
    turns = []
    for k in range(4):
        a, b, c = corners[k], corners[(k + 1) % 4], corners[(k + 2) % 4]
        turns.append((b.x() - a.x()) * (c.y() - b.y()) - (b.y() - a.y()) * (c.x() - b.x()))
        if (b - a).manhattanLength() < LEAST_SPAN:
            raise EntryRefusedError(
                tr("Two corners lie on one another."), tr("They are kept."), tr("Go back and choose again.")
            )
    if not all(turn > 0 for turn in turns):
        raise EntryRefusedError(tr("The corners cross, or go the other way round."), tr("They are kept."),
                                tr("Clockwise, from the top left as the photo shows it."))


@dataclass(frozen=True)
class Fitted:
    """matrix: from pixels of the photo to millimetres as the side is seen, the first corner at 0 0. residual_mm: of all
    points, root of the mean square; marks: names of points to where the fit has them, in millimetres of the board."""

    matrix: np.ndarray
    residual_mm: float
    marks: dict[str, tuple[float, float]]


def fitted(corners: tuple[QPointF, ...], size_mm: tuple[float, float], further: Sequence[QPointF] = (),
           known: Sequence[KnownPoint] = (), mirrored: bool = False) -> Fitted:
    """The perspective that fits four corners and further points best. mirrored: the bottom, seen with the board turned
    over, while places are those of the board. Raises EntryRefusedError with the point that does not fit."""
    checked_corners(corners)
    wide, high = size_mm
    seen = [(p.x(), p.y()) for p in corners]
    places: list[tuple[float, float]] = [(0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high)]

    def as_seen(place: tuple[float, float]) -> tuple[float, float]:
        return (wide - place[0], place[1]) if mirrored else place

    for point, one in zip(further, known, strict=True):
        if one.place is not None:
            seen.append((point.x(), point.y()))
            places.append(as_seen(one.place))
    try:
        matrix = homography(seen, places)
    except ValueError:
        raise EntryRefusedError(
            tr("No board lies between these points."), tr("They are kept."), tr("Choose them again.")
        ) from None
    off = residuals(matrix, seen, places)
    worst = int(off.argmax())
    if off[worst] > MOST_RESIDUAL_MM:
        raise EntryRefusedError(tr("Point {worst} lies {off:.1f} mm from where it should.", worst=worst + 1,
                                   off=off[worst]), tr("They are kept."),
                                tr("Look at its place, and at the size of the board."))
    asked = [(one.name, (p.x(), p.y())) for p, one in zip(further, known, strict=True) if one.name]
    where = carried(matrix, [at for _, at in asked]) if asked else np.zeros((0, 2))
    marks = {name: as_seen((float(x), float(y))) for (name, _), (x, y) in zip(asked, where, strict=True)}
    return Fitted(matrix, float(np.sqrt(np.mean(off ** 2))), marks)


def set_right(image: QImage, corners: tuple[QPointF, ...], width_mm: float, height_mm: float,
              fit: Fitted | None = None) -> QImage:
    """The board alone, as seen straight from above: the perspective undone. fit: by more points than the corners.

    Raises EntryRefusedError for corners that are none.
    """
    found_fit = fit or fitted(corners, (width_mm, height_mm))
    scale = min(PIXELS_A_MM, MOST_SIDE / max(width_mm, height_mm))
    size = QSize(round(width_mm * scale), round(height_mm * scale))
    m = np.diag([scale, scale, 1.0]) @ found_fit.matrix
    # Qt's matrix works on rows.
    found = QTransform(m[0, 0], m[1, 0], m[2, 0], m[0, 1], m[1, 1], m[2, 1], m[0, 2], m[1, 2], m[2, 2])
    straight = QImage(size, QImage.Format.Format_RGB32)
    straight.fill(Qt.GlobalColor.black)
    painter = QPainter(straight)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setTransform(found)
    painter.drawImage(0, 0, image)
    painter.end()
    return straight
