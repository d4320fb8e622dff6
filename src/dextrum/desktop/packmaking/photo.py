"""A photo of a board, set right from its four corners and what else is known of it."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QImage, QPainter, QTransform

from dextrum.core.packmaking.photo_fit import (
    FEWEST,
    MOST_RESIDUAL_MM,
    KnownPoint,
    carried,
    homography,
    residuals,
)
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

PIXELS_A_MM = 40.0
"""Of a picture set right: a pad of half a millimetre is twenty pixels."""
MOST_SIDE = 4000
LEAST_SPAN = 40.0
"""Pixels that the corners must be apart: less is a slip of the hand."""
LEAST_MM, MOST_MM = 5.0, 400.0
MOST_ASKEW = 1.6
"""How far the corners' width over height may be from that of the size that was typed: a photo from fifty degrees aside
is off by so much. More is a size typed the wrong way round, or of another board."""


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
    _check_shape(corners, size_mm)
    wide, high = size_mm
    at = ((0.0, 0.0), (wide, 0.0), (wide, high), (0.0, high))
    return _best(tuple(zip(corners, at, strict=True)), further, known, wide if mirrored else None)


def fitted_by_places(points: Sequence[QPointF], known: Sequence[KnownPoint], size_mm: tuple[float, float],
                     mirrored: bool = False) -> Fitted:
    """The same of a photo that shows a part of the board, by points whose places are known. Raises
    EntryRefusedError."""
    if sum(one.place is not None for one in known) < FEWEST:
        raise EntryRefusedError(tr("Fewer than {fewest} of these points have a place.", fewest=FEWEST),
                                tr("They are kept."), tr("Four or more that don't lie in a line."))
    return _best((), points, known, size_mm[0] if mirrored else None)


def _check_shape(corners: Sequence[QPointF], size_mm: tuple[float, float]) -> None:
    """Raises EntryRefusedError where corners and size are of different boards."""
    sides = [(corners[(k + 1) % 4] - corners[k]) for k in range(4)]
    long = [float(np.hypot(side.x(), side.y())) for side in sides]
    seen = (long[0] + long[2]) / (long[1] + long[3])
    typed = size_mm[0] / size_mm[1]
    if not 1.0 / MOST_ASKEW <= seen / typed <= MOST_ASKEW:
        raise EntryRefusedError(
            tr("The corners are {seen:.2g} times as far apart across as down, {wide:g} x {high:g} mm is {typed:.2g} "
               "times as wide as high.", seen=seen, wide=size_mm[0], high=size_mm[1], typed=typed),
            tr("They are kept."), tr("Width first, of the board that the photo shows, upright as it shows it."))


def _best(fixed: Sequence[tuple[QPointF, tuple[float, float]]], further: Sequence[QPointF],
          known: Sequence[KnownPoint], mirrored_mm: float | None) -> Fitted:
    """fixed: points with where they lie as the side is seen; mirrored_mm: width of a board seen turned over, while the
    places of further points are those of the board."""

    def as_seen(place: tuple[float, float]) -> tuple[float, float]:
        return place if mirrored_mm is None else (mirrored_mm - place[0], place[1])

    given = [(k + 1, (point.x(), point.y()), place) for k, (point, place) in enumerate(fixed)]
    given += [(len(fixed) + k + 1, (point.x(), point.y()), as_seen(one.place))
              for k, (point, one) in enumerate(zip(further, known, strict=True)) if one.place is not None]
    seen, places = [at for _, at, _ in given], [place for _, _, place in given]
    try:
        matrix = homography(seen, places)
    except ValueError:
        raise EntryRefusedError(
            tr("No board lies between these points."), tr("They are kept."), tr("Choose them again.")
        ) from None
    off = residuals(matrix, seen, places)
    worst = int(off.argmax())
    if off[worst] > MOST_RESIDUAL_MM:
        raise EntryRefusedError(tr("Point {worst} lies {off:.1f} mm from where it should.", worst=given[worst][0],
                                   off=off[worst]), tr("They are kept."),
                                tr("Look at its place, and at the size of the board."))
    asked = [(one.name, (p.x(), p.y())) for p, one in zip(further, known, strict=True) if one.name]
    where = carried(matrix, [at for _, at in asked]) if asked else np.zeros((0, 2))
    marks = {name: as_seen((float(x), float(y))) for (name, _), (x, y) in zip(asked, where, strict=True)}
    return Fitted(matrix, float(np.sqrt(np.mean(off ** 2))), marks)


def pixels_a_mm(width_mm: float, height_mm: float) -> float:
    """Of a photo that is kept."""
    return min(PIXELS_A_MM, MOST_SIDE / max(width_mm, height_mm))


def set_right(image: QImage, corners: tuple[QPointF, ...], width_mm: float, height_mm: float,
              fit: Fitted | None = None) -> QImage:
    """The board alone, as seen straight from above: the perspective undone. fit: by more points than the corners.

    Raises EntryRefusedError for corners that are none.
    """
    found_fit = fit or fitted(corners, (width_mm, height_mm))
    scale = pixels_a_mm(width_mm, height_mm)
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
