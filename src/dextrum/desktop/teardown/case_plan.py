"""The case as it lies while it is opened: every fastener in its place and state, the next one ringed."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPixmap, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.core.board import Board
from dextrum.core.board.fasteners import Fastener
from dextrum.desktop.theme import look
from dextrum.tongue import tr

DOT_PIXELS, MARGIN_PIXELS, REACH_PIXELS, CROSS_PIXELS = 11, 26, 18, 14
NEAR_MM, FAR_MM = 0.5, 5.0
"""A step of an arrow, and with Shift."""
PHOTO_SHARE = 0.55
"""How strongly a photo shows under the fasteners: weak enough for their names to be read."""
LABEL_LEFT_FROM = 0.8
"""Share of the width beyond which names stand on the left, so that they stay on the case."""
LETTERS = {"out": "", "in": "✓", "missing": "–", "rounded": "!", "wrong_length": "≠"}


def case_box(board: Board) -> QRectF:
    """Of the case in mm; round the fasteners where the pack has no case."""
    if board.case_mm:
        xs, ys = zip(*board.case_mm, strict=True)
    else:
        xs = tuple(one.x_mm for one in board.fasteners) or (0.0, 1.0)
        ys = tuple(one.y_mm for one in board.fasteners) or (0.0, 1.0)
    return QRectF(min(xs), min(ys), max(max(xs) - min(xs), 1.0), max(max(ys) - min(ys), 1.0))


class CasePlan(QWidget):
    """Signals: chosen (a fastener's id); placed (where the next one lies, in mm from the case's left and top)."""

    chosen = Signal(str)
    placed = Signal(float, float)

    def __init__(self) -> None:
        super().__init__()
        self.board: Board | None = None
        self.states: Mapping[str, str] = {}
        self.next = ""
        self.photo = QPixmap()
        self.placing: QPointF | None = None
        """Where the cross stands, in mm, while something is placed."""
        self.setAccessibleName(tr("Plan of the case"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(look.px(220), look.px(160))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)

    def sizeHint(self) -> QSize:
        return QSize(look.px(420), look.px(320))

    def show_state(self, board: Board | None, states: Mapping[str, str], following: str) -> None:
        self.board, self.states, self.next = board, states, following
        self.setAccessibleDescription(tr("next: {following}", following=following) if following else "")
        self.update()

    def _frame(self) -> tuple[QRectF, float]:
        """Where the case is drawn, and pixels a millimetre."""
        assert self.board is not None
        box, margin = case_box(self.board), look.px(MARGIN_PIXELS)
        scale = min((self.width() - 2 * margin) / box.width(), (self.height() - 2 * margin) / box.height())
        wide, high = scale * box.width(), scale * box.height()
        return QRectF((self.width() - wide) / 2, (self.height() - high) / 2, wide, high), scale

    def place(self, x_mm: float, y_mm: float) -> QPointF:
        assert self.board is not None
        case, (frame, scale) = case_box(self.board), self._frame()
        return QPointF(frame.left() + scale * (x_mm - case.left()), frame.top() + scale * (y_mm - case.top()))

    def at(self, place: QPointF) -> QPointF:
        """Millimetres from the case's left and top; the nearest on the case of a place beside it."""
        assert self.board is not None
        case, (frame, scale) = case_box(self.board), self._frame()
        x = case.left() + (place.x() - frame.left()) / scale
        y = case.top() + (place.y() - frame.top()) / scale
        x, y = min(max(x, case.left()), case.right()), min(max(y, case.top()), case.bottom())
        return QPointF(round(x, 1), round(y, 1))

    def begin_placing(self) -> None:
        """A click, or arrows and Enter, says where the next one lies; Esc leaves."""
        if self.board is not None:
            self.placing = case_box(self.board).center()
            self.setCursor(Qt.CursorShape.CrossCursor)
            self.setFocus()
            self.update()

    def end_placing(self) -> None:
        self.placing = None
        self.unsetCursor()
        self.update()

    def _place_here(self, where: QPointF) -> None:
        self.end_placing()
        self.placed.emit(where.x(), where.y())

    def keyPressEvent(self, event: QKeyEvent) -> None:
        far = FAR_MM if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else NEAR_MM
        step = {Qt.Key.Key_Left: (-far, 0.0), Qt.Key.Key_Right: (far, 0.0), Qt.Key.Key_Up: (0.0, -far),
                Qt.Key.Key_Down: (0.0, far)}.get(Qt.Key(event.key()))
        if self.placing is None or self.board is None:
            super().keyPressEvent(event)
        elif step is not None:
            self.placing = self.at(self.place(self.placing.x() + step[0], self.placing.y() + step[1]))
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._place_here(self.placing)
        elif event.key() == Qt.Key.Key_Escape:
            self.end_placing()
        else:
            event.accept()  # a key of the walk would record something while a place is sought

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.board is None:
            return
        if self.placing is not None:
            self._place_here(self.at(event.position()))
            return
        near = [(one, (self.place(one.x_mm, one.y_mm) - event.position()).manhattanLength())
                for one in self.board.fasteners]
        if near:
            one, away = min(near, key=lambda pair: pair[1])
            if away <= look.px(REACH_PIXELS):
                self.chosen.emit(one.id)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.colour("panel"))
        if self.board is None:
            return
        painter.setPen(QPen(look.colour("edge"), 1.5))
        painter.setBrush(look.colour("ground"))
        if self.board.case_mm:
            painter.drawPolygon(QPolygonF([self.place(x, y) for x, y in self.board.case_mm]))
        if not self.photo.isNull() and self.board.case_mm:
            painter.setOpacity(PHOTO_SHARE)
            painter.drawPixmap(self._frame()[0], self.photo, QRectF(self.photo.rect()))
            painter.setOpacity(1.0)
        for one in self.board.fasteners:
            self._paint(painter, one)
        if self.placing is not None:
            at, reach = self.place(self.placing.x(), self.placing.y()), float(look.px(CROSS_PIXELS))
            for ink, wide in ((look.colour("card"), 4), (look.colour("card_accent"), 2)):
                painter.setPen(QPen(ink, wide))
                painter.drawLine(at - QPointF(reach, 0), at + QPointF(reach, 0))
                painter.drawLine(at - QPointF(0, reach), at + QPointF(0, reach))
        if self.hasFocus():
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _paint(self, painter: QPainter, one: Fastener) -> None:
        at, reach = self.place(one.x_mm, one.y_mm), float(look.px(DOT_PIXELS))
        state = self.states.get(one.id, "")
        gone = state in ("out", "missing", "rounded", "wrong_length")
        if one.id == self.next:
            painter.setPen(QPen(look.colour("ink"), 3))
            painter.setBrush(look.colour("lit"))
            painter.drawEllipse(at, reach + 7, reach + 7)
        painter.setPen(QPen(look.colour("ink"), 1.5, Qt.PenStyle.DashLine if gone else Qt.PenStyle.SolidLine))
        painter.setBrush(look.colour("panel" if gone else "rule"))
        box = QRectF(at.x() - reach, at.y() - reach, 2 * reach, 2 * reach)
        if one.kind == "screw":
            painter.drawEllipse(box)
        elif one.kind == "ribbon":
            painter.drawRect(box.adjusted(-reach / 2, reach / 2, reach / 2, -reach / 2))
        elif one.kind == "clip":
            painter.drawPolygon(QPolygonF([box.bottomLeft(), box.bottomRight(), QPointF(at.x(), at.y() - reach)]))
        else:
            painter.drawRoundedRect(box, 6, 6)
        painter.setPen(look.colour("ink"))
        painter.setFont(look.font(13, QFont.Weight.DemiBold))
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, LETTERS.get(state, ""))
        painter.setFont(look.font(12))
        words = tr("{id} {length_mm:g} mm", id=one.id, length_mm=one.length_mm) if one.length_mm else one.id
        away, wide, high = reach * 1.5 + 6, float(look.px(90)), float(look.px(20))
        case = case_box(self.board) if self.board is not None else QRectF()
        left = one.x_mm > case.left() + LABEL_LEFT_FROM * case.width()
        side = Qt.AlignmentFlag.AlignRight if left else Qt.AlignmentFlag.AlignLeft
        painter.drawText(QRectF(at.x() - away - wide if left else at.x() + away, at.y() - high / 2, wide, high),
                         int(Qt.AlignmentFlag.AlignVCenter | side), words)
