"""A curve of very many samples: per column of pixels one stroke from the least to the greatest, so a frame costs the
same whether it shows a thousand samples or a hundred thousand."""

from __future__ import annotations

import numpy as np
import pyqtgraph as pg
from pyqtgraph.Qt.internals import PrimitiveArray
from PySide6.QtCore import QLineF, QRectF
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QGraphicsItem, QStyleOptionGraphicsItem, QWidget

from dextrum.desktop.theme import look

STROKE = 1.6
"""Thickness of a level stretch in pixels."""


BLOCK = 16
BLOCKS_A_COLUMN = 4
"""Columns of at least this many blocks are taken from the blocks' extremes; their edges may then be off by a block."""


class Extremes:
    """Samples with the least and the greatest of every block, made once. before: of the same trace when it was shorter,
    whose blocks but the last need not be made again."""

    def __init__(self, seconds: np.ndarray, values: np.ndarray, before: Extremes | None = None) -> None:
        self.seconds, self.values = seconds, values
        known = max(len(before.least) - 1, 0) if before is not None else 0
        starts = np.arange(0, len(values) - known * BLOCK, BLOCK)
        rest = values[known * BLOCK:]
        self.least: np.ndarray = np.minimum.reduceat(rest, starts) if len(rest) else rest
        self.greatest: np.ndarray = np.maximum.reduceat(rest, starts) if len(rest) else rest
        if before is not None and known:
            self.least = np.concatenate([before.least[:known], self.least])
            self.greatest = np.concatenate([before.greatest[:known], self.greatest])

    def columns(self, low: float, high: float, count: int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Middle time, least and greatest value of each of `count` equal columns of [low, high] in which the trace
        has a sample or lies between two; neighbours are joined, so that a jump is a line. Empty where nothing is in
        sight."""
        seconds = self.seconds
        edges = np.linspace(low, high, count + 1)
        middle = (edges[:-1] + edges[1:]) / 2
        seen = (edges[1:] >= seconds[0]) & (edges[:-1] <= seconds[-1])
        if not seen.any():
            empty = np.zeros(0)
            return empty, empty, empty
        place = np.searchsorted(seconds, edges)
        if place[-1] - place[0] >= BLOCK * BLOCKS_A_COLUMN * count:
            least, greatest = self._between(self.least, self.greatest, place // BLOCK)
        else:
            least, greatest = self._between(self.values, self.values, place)
        bare = place[1:] == place[:-1]
        if bare.any():
            # Between two samples the line runs on.
            least[bare] = greatest[bare] = np.interp(middle[bare], seconds, self.values)
        middle, least, greatest = middle[seen], least[seen], greatest[seen]
        joined_low, joined_high = least.copy(), greatest.copy()
        joined_low[1:] = np.minimum(least[1:], greatest[:-1])
        joined_high[1:] = np.maximum(greatest[1:], least[:-1])
        return middle, joined_low, joined_high

    @staticmethod
    def _between(low: np.ndarray, high: np.ndarray, place: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        first, last = int(place[0]), min(int(place[-1]) + 1, len(low))
        first = min(first, last - 1)
        starts = np.clip(place[:-1] - first, 0, last - first - 1)
        return np.minimum.reduceat(low[first:last], starts), np.maximum.reduceat(high[first:last], starts)


class TraceCurve(pg.GraphicsObject):  # type: ignore[misc]
    """seconds rising, values of the same length. faint: of an earlier repair epoch."""

    def __init__(self, seconds: np.ndarray, values: np.ndarray, colour: QColor, faint: bool = False) -> None:
        super().__init__()
        self.trace = Extremes(seconds, values)
        self.setFlag(QGraphicsItem.GraphicsItemFlag.ItemUsesExtendedStyleOption)
        colour = QColor(colour)
        colour.setAlphaF(0.55 if faint else 1.0)
        self.pen = QPen(colour, 1)
        self.pen.setCosmetic(True)
        self._for: tuple[float, ...] = ()
        self._strokes_made = PrimitiveArray(QLineF, 4)

    def set_data(self, seconds: np.ndarray, values: np.ndarray) -> None:
        """Show another trace, or the same one grown."""
        self.prepareGeometryChange()
        shown = self.trace.seconds
        grown = 0 < len(shown) <= len(seconds) and shown[0] == seconds[0] and shown[-1] == seconds[len(shown) - 1]
        self.trace = Extremes(seconds, values, self.trace if grown else None)
        self._for = ()
        self.update()

    def boundingRect(self) -> QRectF:
        seconds = self.trace.seconds
        if not len(seconds):
            return QRectF()
        bottom, top = float(self.trace.least.min()), float(self.trace.greatest.max())
        room = 0.05 * (top - bottom) + 0.05
        return QRectF(float(seconds[0]), bottom - room, float(seconds[-1] - seconds[0]) + 1e-9, top - bottom + 2 * room)

    def viewRangeChanged(self) -> None:
        self.update()

    def paint(self, painter: QPainter, _option: QStyleOptionGraphicsItem, _widget: QWidget | None = None) -> None:
        view = self.getViewBox()
        if view is None or not len(self.trace.seconds):
            return
        (low, high), (bottom, top) = view.viewRange()
        width, height = max(int(view.width()), 2), max(view.height(), 2.0)
        key = (low, high, bottom, top, width, height, look.scale)
        if key != self._for:
            self._for = key
            half = STROKE * look.scale / 100 * (top - bottom) / height / 2
            self._strokes_made = self._strokes(low, high, width, half)
        painter.setPen(self.pen)
        if len(self._strokes_made.ndarray()):
            painter.drawLines(*self._strokes_made.drawargs())

    def _strokes(self, low: float, high: float, width: int, half: float) -> PrimitiveArray:
        middle, least, greatest = self.trace.columns(low, high, width)
        strokes = PrimitiveArray(QLineF, 4)
        strokes.resize(len(middle))
        ends = strokes.ndarray()
        ends[:, 0] = ends[:, 2] = middle
        ends[:, 1], ends[:, 3] = least - half, greatest + half
        return strokes
