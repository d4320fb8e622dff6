"""One photo large, or two beside or over one another; rings and arrows are drawn on it and stay apart from it."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QFont,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QTransform,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.core.trail import PhotoMark
from dextrum.desktop.theme import look
from dextrum.tongue import tr

ZOOM, MOST_ZOOM = 1.4, 16.0
LEAST_MARK = 0.01
"""Share of the width: a shorter stroke is a slip of the hand."""
HEAD_PIXELS, GAP = 14, 8
STEP, TURN_DEGREES, LARGER = 0.004, 0.5, 1.01
"""By which a key moves (in widths), turns and grows a photo over another."""


def _by_hand(event: QKeyEvent) -> tuple[float, float, float, float] | None:
    """How a key moves the second photo over the first; None for a key that doesn't."""
    key, shift = Qt.Key(event.key()), bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
    arrows = {Qt.Key.Key_Left: (-STEP, 0.0), Qt.Key.Key_Right: (STEP, 0.0), Qt.Key.Key_Up: (0.0, -STEP),
              Qt.Key.Key_Down: (0.0, STEP)}
    if shift and key in arrows:
        return (*arrows[key], 0.0, 1.0)
    turns = {Qt.Key.Key_Comma: -TURN_DEGREES, Qt.Key.Key_Period: TURN_DEGREES}
    if key in turns:
        return 0.0, 0.0, turns[key], 1.0
    larger = {Qt.Key.Key_BracketRight: LARGER, Qt.Key.Key_BracketLeft: 1.0 / LARGER}
    return (0.0, 0.0, 0.0, larger[key]) if key in larger else None


class PictureCanvas(QWidget):
    """Wheel or + − zoom, arrows and dragging move, Home shows all.

    Signals: marked (a mark that was drawn), shifted (the second was moved over the first by hand: widths to the right,
    widths down, degrees, times larger), taken and left (Enter and Esc while a camera shows)."""

    marked = Signal(object)
    shifted = Signal(float, float, float, float)
    taken = Signal()
    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.images: tuple[QImage, ...] = ()
        self.marks: tuple[tuple[PhotoMark, ...], ...] = ()
        self.words = ""
        self.form = ""
        """ring or arrow while one is to be drawn."""
        self.over_share: float | None = None
        """How strongly the second shows over the first; None for beside each other."""
        self.fit: QTransform | None = None
        """How the second lies on the first, in widths of each; None for as it is."""
        self.live = False
        """While a camera's picture is shown: Enter takes it, Esc leaves it."""
        self.zoom, self.middle = 1.0, QPointF(0.5, 0.5)
        self._from: QPointF | None = None
        self._to: QPointF | None = None
        self._grabbed: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Photo"))
        self.setMinimumSize(look.px(200), look.px(160))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(look.px(480), look.px(360))

    def show_images(self, images: tuple[QImage, ...], marks: tuple[tuple[PhotoMark, ...], ...], words: str) -> None:
        """words: shown where there is no picture."""
        if not self.live and tuple(i.cacheKey() for i in images) != tuple(i.cacheKey() for i in self.images):
            self.zoom, self.middle, self.fit = 1.0, QPointF(0.5, 0.5), None
        self.images, self.marks, self.words = images, marks, words
        self._from = self._to = None
        self.setAccessibleDescription(words)
        self.update()

    def draw(self, form: str) -> None:
        """The next stroke of the mouse is a mark of this form; empty: none."""
        self.form = form
        self.setCursor(Qt.CursorShape.CrossCursor if form else Qt.CursorShape.ArrowCursor)

    def panes(self) -> tuple[QRectF, ...]:
        """Where each picture may be drawn."""
        whole = QRectF(self.rect())
        if len(self.images) < 2 or self.over_share is not None:
            return tuple(whole for _ in self.images)
        half = (whole.width() - GAP) / 2
        return (QRectF(0, 0, half, whole.height()), QRectF(half + GAP, 0, half, whole.height()))

    def frame(self, k: int) -> QRectF:
        """Where the k-th picture lies, parts beyond its pane included."""
        pane, image = self.panes()[k], self.images[k]
        size = image.size().scaled(pane.size().toSize(), Qt.AspectRatioMode.KeepAspectRatio)
        wide, high = size.width() * self.zoom, size.height() * self.zoom
        if self.zoom <= 1.0:
            return QRectF(pane.center().x() - wide / 2, pane.center().y() - high / 2, wide, high)
        middle = pane.center()
        return QRectF(middle.x() - self.middle.x() * wide, middle.y() - self.middle.y() * high, wide, high)

    def share_at(self, at: QPointF) -> QPointF | None:
        """A place as shares of the first picture; None beside it."""
        if not self.images:
            return None
        frame = self.frame(0)
        x, y = (at.x() - frame.left()) / max(frame.width(), 1e-9), (at.y() - frame.top()) / max(frame.height(), 1e-9)
        return QPointF(x, y) if 0.0 <= x <= 1.0 and 0.0 <= y <= 1.0 and self.panes()[0].contains(at) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        if self.form:
            self._from = self._to = self.share_at(event.position())
        else:
            self._grabbed = event.position()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._from is not None:
            self._to = self.share_at(event.position()) or self._to
            self.update()
        elif self._grabbed is not None:
            self._move(self._grabbed - event.position())
            self._grabbed = event.position()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._grabbed = None
        if self._from is None or self._to is None:
            return
        one, other, self._from, self._to = self._from, self._to, None, None
        if math.hypot(other.x() - one.x(), other.y() - one.y()) >= LEAST_MARK and self.form in ("ring", "arrow"):
            form = self.form
            self.draw("")
            self.marked.emit(PhotoMark("ring" if form == "ring" else "arrow", round(one.x(), 4), round(one.y(), 4),
                                       round(other.x(), 4), round(other.y(), 4)))
        self.update()

    def _move(self, by: QPointF) -> None:
        if self.images and self.zoom > 1.0:
            frame = self.frame(0)
            x = self.middle.x() + by.x() / max(frame.width(), 1.0)
            y = self.middle.y() + by.y() / max(frame.height(), 1.0)
            self.middle = QPointF(min(max(x, 0.0), 1.0), min(max(y, 0.0), 1.0))
            self.update()

    def _zoom_by(self, factor: float) -> None:
        self.zoom = min(max(self.zoom * factor, 1.0), MOST_ZOOM)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        self._zoom_by(ZOOM if event.angleDelta().y() > 0 else 1 / ZOOM)
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = 40.0
        moves = {Qt.Key.Key_Left: (-step, 0.0), Qt.Key.Key_Right: (step, 0.0), Qt.Key.Key_Up: (0.0, -step),
                 Qt.Key.Key_Down: (0.0, step)}
        key = Qt.Key(event.key())
        if self.live and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Space):
            if not event.isAutoRepeat():
                self.taken.emit()
        elif self.live and key == Qt.Key.Key_Escape:
            self.left.emit()
        elif self.over_share is not None and (shift := _by_hand(event)) is not None:
            self.shifted.emit(*shift)
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom_by(ZOOM)
        elif key == Qt.Key.Key_Minus:
            self._zoom_by(1 / ZOOM)
        elif key == Qt.Key.Key_Home:
            self.zoom = 1.0
            self.update()
        elif key in moves:
            self._move(QPointF(*moves[key]))
        elif key == Qt.Key.Key_Escape and self.form:
            self.draw("")
        else:
            super().keyPressEvent(event)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), look.colour("panel"))
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.images:
            painter.setPen(look.colour("quiet"))
            painter.setFont(look.font(14))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, self.words)
        for k, image in enumerate(self.images):
            painter.save()
            painter.setClipRect(self.panes()[k])
            painter.setOpacity(self.over_share if k == 1 and self.over_share is not None else 1.0)
            if k == 1 and self.over_share is not None and self.fit is not None:
                self._paint_fitted(painter, image, self.fit)
            else:
                painter.drawImage(self.frame(k), image)
            painter.setOpacity(1.0)
            if k == 0 or self.over_share is None:
                for mark in self.marks[k]:
                    self._paint_mark(painter, mark, self.frame(k))
            painter.restore()
        if self._from is not None and self._to is not None and self.form in ("ring", "arrow"):
            mark = PhotoMark("ring" if self.form == "ring" else "arrow", self._from.x(), self._from.y(), self._to.x(),
                             self._to.y())
            self._paint_mark(painter, mark, self.frame(0))
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _paint_fitted(self, painter: QPainter, image: QImage, fit: QTransform) -> None:
        """The second where it lies on the first."""
        frame = self.frame(0)
        on_screen = QTransform().translate(frame.left(), frame.top()).scale(frame.width(), frame.width())
        painter.save()
        painter.setTransform(QTransform().scale(1.0 / image.width(), 1.0 / image.width()) * fit * on_screen, True)
        painter.drawImage(0, 0, image)
        painter.restore()

    @staticmethod
    def _paint_mark(painter: QPainter, mark: PhotoMark, frame: QRectF) -> None:
        """Dark round bright, so that it shows on any picture."""
        one = QPointF(frame.left() + mark.x * frame.width(), frame.top() + mark.y * frame.height())
        other = QPointF(frame.left() + mark.to_x * frame.width(), frame.top() + mark.to_y * frame.height())
        away = other - one
        for ink, wide in ((look.colour("card"), 6.0), (look.colour("card_accent"), 3.0)):
            painter.setPen(QPen(ink, wide, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            if mark.form == "ring":
                reach = math.hypot(away.x(), away.y())
                painter.drawEllipse(one, reach, reach)
            else:
                painter.drawLine(one, other)
                angle = math.atan2(away.y(), away.x())
                ends = [other - QPointF(math.cos(angle + s) * HEAD_PIXELS, math.sin(angle + s) * HEAD_PIXELS)
                        for s in (-0.5, 0.5)]
                painter.drawPolyline(QPolygonF([ends[0], other, ends[1]]))
        painter.setFont(look.font(12, QFont.Weight.DemiBold))
