"""The board on the simulated bench as one sees it, for tips to be set down on: click for red, Shift and click for the
other one."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.core.board import Board, Side
from dextrum.tongue import tr
from dextrum.world.photograph import Picture

Place = tuple[float, float]
RED, BLACK = QColor("#e03030"), QColor("#101010")
TIP_PIXELS = 7.0


class BoardUnderHands(QWidget):
    """draw: one side straight from above. Signals: touched(where red was set down, where black was, None for ground),
    each millimetres of the board."""

    touched = Signal(object, object)

    def __init__(self, draw: Callable[[Side], Picture]) -> None:
        super().__init__()
        self._draw = draw
        self.board: Board | None = None
        self.side = Side.TOP
        self._image = QImage()
        self.red: tuple[Side, float, float] | None = None
        self.black: tuple[Side, float, float] | None = None
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(180)
        self.setAccessibleName(tr("The board, for the tips"))

    def sizeHint(self) -> QSize:
        return QSize(520, 260)

    def show_board(self, board: Board, side: Side | None = None) -> None:
        """Drawn anew; the tips lift."""
        if board is not self.board:
            self.red = self.black = None
        self.board, self.side = board, side or self.side
        picture = self._draw(self.side)
        high, wide = picture.shape[:2]
        self._image = QImage(picture.tobytes(), wide, high, 3 * wide, QImage.Format.Format_RGB888).copy()
        self.update()

    def lift(self) -> None:
        self.red = self.black = None
        self.update()

    def _frame(self) -> QRectF:
        """Where the picture lies in the widget, whole."""
        if self._image.isNull():
            return QRectF()
        scale = min(self.width() / self._image.width(), self.height() / self._image.height())
        wide, high = self._image.width() * scale, self._image.height() * scale
        return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high)

    def _outline(self) -> tuple[float, float, float, float]:
        assert self.board is not None
        xs, ys = zip(*self.board.outline_mm, strict=True)
        return min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)

    def place_at(self, at: QPointF) -> Place | None:
        """Millimetres of the board under a place of the widget; None beside the board."""
        frame = self._frame()
        if self.board is None or not frame.contains(at):
            return None
        left, top, wide, high = self._outline()
        across, down = (at.x() - frame.left()) / frame.width(), (at.y() - frame.top()) / frame.height()
        return left + wide * (1.0 - across if self.side is Side.BOTTOM else across), top + high * down

    def pixel_of(self, x_mm: float, y_mm: float) -> QPointF:
        """Where a place of the board lies in the widget."""
        left, top, wide, high = self._outline()
        frame, across = self._frame(), (x_mm - left) / wide
        return QPointF(frame.left() + frame.width() * (1.0 - across if self.side is Side.BOTTOM else across),
                       frame.top() + frame.height() * (y_mm - top) / high)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        place = self.place_at(event.position())
        if place is None or event.button() != Qt.MouseButton.LeftButton:
            return
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.black = (self.side, *place)
        else:
            self.red, self.black = (self.side, *place), None
        self.update()
        if self.red is not None:
            self.touched.emit(self.red, self.black)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.drawImage(self._frame(), self._image)
        for tip, ink in ((self.red, RED), (self.black, BLACK)):
            if tip is not None and tip[0] is self.side:
                middle = self.pixel_of(tip[1], tip[2])
                painter.setPen(QPen(QColor("white"), 2.0))
                painter.setBrush(ink)
                painter.drawEllipse(middle, TIP_PIXELS, TIP_PIXELS)
                painter.setPen(QPen(QColor("white"), 1.5))
                words = tr("red") if ink is RED else tr("black")
                wide = painter.fontMetrics().horizontalAdvance(words)
                # Each on its side: two ends of one small part lie close together.
                aside = -TIP_PIXELS - 3 - wide if ink is RED else TIP_PIXELS + 3
                painter.drawText(QPointF(middle.x() + aside, middle.y() + 4), words)
        painter.end()
