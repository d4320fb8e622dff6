"""The board as it lies on the bench: outline, parts and points, flipped as the board is flipped.

Where there is room for both, the sides lie beside each other; else one is shown. Keys: F flips, + and - zoom, arrows
pan, Home shows the whole board. A click chooses the point below it; the mouse over a point tells what is known of it.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise

from PySide6.QtCore import QPoint, QPointF, QRect, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QAccessible,
    QFont,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPixmap,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QToolTip, QWidget

from dextrum.app.reading.judged import JudgedReading
from dextrum.core.board import Board, ComponentKind, Side
from dextrum.core.board.model import Component, Point
from dextrum.core.board.path import BreakStretch, SignalPath
from dextrum.core.reference.judge import Verdict
from dextrum.desktop.board.plan_labels import HEAD_PIXELS, RING, paint_labels
from dextrum.desktop.board.seen_marks import paint_seen
from dextrum.desktop.frame.named_places import NamedPlaces
from dextrum.desktop.marks import draw_mark
from dextrum.desktop.theme import look
from dextrum.tongue import tr

MARGIN = 10
ZOOM = 1.4
MOST_ZOOM = 24.0
REACH_PIXELS = 12.0
MOST_NAMED = 80
"""Points that are told to a screen reader; the list beside the plan has all of them."""
BESIDE_FROM, BESIDE_PIXELS = 0.8, 5.0
"""Both sides are shown where each is at least this large beside one alone, or has so many pixels a millimetre, at 100 %
text: then a pad is a hand's breadth of pixels and nothing is gained by more."""
@dataclass(frozen=True)
class Pane:
    """One side of the board, and where it is drawn."""

    side: Side
    rect: QRectF


def _corners_of(board: Board) -> QRectF:
    """Round the board's outline, in mm."""
    xs, ys = zip(*board.outline_mm, strict=True)
    return QRectF(min(xs), min(ys), max(max(xs) - min(xs), 1e-3), max(max(ys) - min(ys), 1e-3))


class BoardPlan(QWidget):
    """Signals: chosen (point id)."""

    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.board: Board | None = None
        self.judged: Mapping[str, JudgedReading] = {}
        self.asked: tuple[str, ...] = ()
        self.current = ""
        self.path: SignalPath | None = None
        self.stretch: BreakStretch | None = None
        self.seen: Mapping[str, str] = {}
        self.before: frozenset[str] = frozenset()
        """Points that were abnormal before the repair: ringed twice."""
        self.photos: Mapping[Side, QPixmap] = {}
        """Set right to the outline, as each side is seen."""
        self._receive: Callable[[float, float, str], None] | None = None
        self.over: Callable[[QPainter], None] | None = None
        """Drawn over all else while something is chosen on the plan."""
        self.photo_share = 0.0
        self.least_share = 0.0
        """How strongly photos show under the plan, 0 to 1; and at least, while something is sought on them."""
        self.side = Side.TOP
        self.zoom = 1.0
        self.middle = QPointF(0.0, 0.0)
        self._grabbed: QPointF | None = None
        self._dragged = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Plan of the board"))
        self._named = NamedPlaces(self)
        self._whole_mm = QRectF()
        self._sides: frozenset[Side] = frozenset()
        self._painted_in: tuple[Pane, ...] = ()
        self._frames: dict[Side | None, tuple[float, float, float, float]] = {}
        """While it is painted: what is drawn where, which every point and part asks for."""
        self.setMinimumSize(look.px(180), look.px(150))
        self.setMouseTracking(True)
        self.describe: Callable[[str], str] = lambda point_id: point_id

    def sizeHint(self) -> QSize:
        return QSize(500, look.px(190))

    def show_board(self, board: Board | None) -> None:
        """Another board: its whole, top side."""
        if board is not self.board:
            self.board = board
            self.side = Side.TOP
            self._whole_mm = _corners_of(board) if board is not None else QRectF()
            self._sides = frozenset({part.side for part in board.components} | {point.side for point in board.points}) \
                if board is not None else frozenset()
            self.whole()

    def show_state(self, judged: Mapping[str, JudgedReading], asked: tuple[str, ...], current: str,
                   path: SignalPath | None, stretch: BreakStretch | None) -> None:
        """Readings, the points asked for in their order, the one in hand, and the way under suspicion."""
        self.judged, self.asked, self.current = judged, asked, current
        self.path, self.stretch = path, stretch
        self.update()
        if QAccessible.isActive() and self.board is not None:
            self._name_points()

    def _name_points(self) -> None:
        """For a screen reader: what was read, is asked for or lies on the way, each where it is drawn."""
        told = {*self.judged, *self.asked, *(self.path.points if self.path else ()), self.current}
        size = round(self.dot() * 2)
        parts: list[tuple[str, QRect]] = []
        for point in self.points_here():
            if point.id in told and len(parts) < MOST_NAMED:
                at = self.place(point.x_mm, point.y_mm, point.side)
                parts.append((self.describe(point.id).replace("\n", ", "),
                              QRect(round(at.x()) - size // 2, round(at.y()) - size // 2, size, size)))
        self._named.show(parts)

    def whole(self) -> None:
        """Show all of the board."""
        self.zoom = 1.0
        if self.board is not None:
            self.middle = self._whole_mm.center()
        self.update()

    def flip(self) -> None:
        """The other side, turned over left to right as the hand does it."""
        self.side = self.side.other
        self.update()

    def reveal(self, point_id: str) -> None:
        """Turn to the side of a point, and move it into sight."""
        point = self.board.point_by_id.get(point_id) if self.board else None
        if point is None:
            return
        self.side = point.side
        if self.zoom > 1.0:
            self.middle = QPointF(point.x_mm, point.y_mm)
        self.update()

    def _fit(self, width: float, height: float) -> float:
        """Pixels a millimetre at which the whole board fits."""
        box = self._whole_mm
        return max(0.1, min((width - 2 * MARGIN) / box.width(), (height - 2 * MARGIN) / box.height()))

    def panes(self) -> tuple[Pane, ...]:
        """What is drawn where: both sides where they fit beside each other, else the one in hand."""
        return self._painted_in or self._panes_now()

    def _panes_now(self) -> tuple[Pane, ...]:
        top = float(look.px(HEAD_PIXELS))
        width, height = float(self.width()), self.height() - top
        single = Pane(self.side, QRectF(0.0, top, width, height))
        if self.board is None or self.zoom > 1.0 or not self._has_both_sides():
            return (single,)
        if self._fit(width / 2, height) < min(BESIDE_FROM * self._fit(width, height), look.px(BESIDE_PIXELS)):
            return (single,)
        half = width / 2
        return (Pane(Side.TOP, QRectF(0.0, top, half, height)), Pane(Side.BOTTOM, QRectF(half, top, half, height)))

    def _has_both_sides(self) -> bool:
        return len(self._sides.union(self.photos)) > 1

    def pane_of(self, side: Side) -> Pane | None:
        return next((pane for pane in self.panes() if pane.side is side), None)

    def _scale(self) -> float:
        """Pixels a millimetre."""
        rect = self.panes()[0].rect
        return self.zoom * self._fit(rect.width(), rect.height())

    def place(self, x_mm: float, y_mm: float, side: Side | None = None) -> QPointF:
        """Where a place of the board is on the screen; the bottom is mirrored, the port stays below. A side that is not
        shown is placed as seen through the board."""
        if self._painted_in:
            if side not in self._frames:
                self._frames[side] = self._frame(side)
            left, across, top, scale = self._frames[side]
        else:
            left, across, top, scale = self._frame(side)
        return QPointF(left + x_mm * across, top + y_mm * scale)

    def _frame(self, side: Side | None) -> tuple[float, float, float, float]:
        """Where 0 mm of a side is on the screen, and pixels a millimetre: from the left, from above."""
        panes = self.panes()
        pane = next((one for one in panes if one.side is side), panes[0])
        scale = self.zoom * self._fit(pane.rect.width(), pane.rect.height())
        across = scale if pane.side is Side.TOP else -scale
        middle = pane.rect.center()
        return middle.x() - self.middle.x() * across, across, middle.y() - self.middle.y() * scale, scale

    def points_here(self) -> list[Point]:
        shown = {pane.side for pane in self.panes()}
        return [p for p in self.board.points if p.side in shown] if self.board else []

    def point_at(self, at: QPointF) -> str:
        """The nearest point within reach of a click, or nothing."""
        best, name = REACH_PIXELS, ""
        for point in self.points_here():
            away = self.place(point.x_mm, point.y_mm, point.side) - at
            distance = (away.x() ** 2 + away.y() ** 2) ** 0.5
            if distance < best:
                best, name = distance, point.id
        return name

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), look.colour("panel"))
        if self.board is None:
            return
        self._painted_in = self._panes_now()
        try:
            self._paint_board(painter)
        finally:
            self._painted_in = ()
            self._frames = {}

    def _paint_board(self, painter: QPainter) -> None:
        self.paint_ground(painter)
        self._paint_parts(painter)
        self._paint_path(painter)
        self._paint_points(painter)
        paint_labels(self, painter)
        paint_seen(self, painter)
        if self.over is not None:
            self.over(painter)
        self.paint_heads(painter)
        self.paint_focus(painter)

    def paint_ground(self, painter: QPainter) -> None:
        """The outline of each side that is shown."""
        assert self.board is not None
        for pane in self.panes():
            painter.setPen(QPen(look.colour("edge"), 1.5))
            painter.setBrush(look.colour("ground"))
            painter.drawPolygon(QPolygonF([self.place(x, y, pane.side) for x, y in self.board.outline_mm]))
            photo = self.photos.get(pane.side)
            share = max(self.photo_share, self.least_share)
            if photo is not None and share > 0.0:
                box = self._whole_mm
                one, other = (self.place(corner.x(), corner.y(), pane.side) for corner in (
                    box.topLeft(), box.bottomRight()))
                painter.save()
                painter.setClipRect(pane.rect)
                painter.setOpacity(share)
                # As seen: the bottom was taken with the board turned over, as the plan shows it.
                painter.drawPixmap(QRectF(one, other).normalized(), photo, QRectF(photo.rect()))
                painter.restore()

    def paint_heads(self, painter: QPainter) -> None:
        """Which side it is, and how to see the other."""
        panes = self.panes()
        for pane in panes:
            painter.setFont(look.font(13, QFont.Weight.DemiBold))
            painter.setPen(look.colour("ink"))
            head = QRectF(pane.rect.left() + 8, 2, pane.rect.width() - 16, look.px(HEAD_PIXELS))
            painter.drawText(head, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
                             tr("{side} side", side=tr(pane.side.value)))
            if len(panes) == 1 and self._has_both_sides():
                other = "bottom" if self.side is Side.TOP else "top"
                painter.setFont(look.font(12))
                painter.setPen(look.colour("quiet"))
                painter.drawText(head, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                                 tr("F: {other} side", other=tr(other)))

    def paint_focus(self, painter: QPainter) -> None:
        if self.hasFocus():
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def box_of(self, part: Component) -> QRectF:
        """Of a part, on the screen."""
        scale = self._scale()
        middle = self.place(part.x_mm, part.y_mm, part.side)
        return QRectF(middle.x() - part.width_mm * scale / 2, middle.y() - part.height_mm * scale / 2,
                      part.width_mm * scale, part.height_mm * scale)

    def parts_here(self) -> list[Component]:
        """Of the sides that are shown. What nobody has described lies anywhere: it is drawn while nothing else is."""
        if self.board is None:
            return []
        shown = {pane.side for pane in self.panes()}
        placed = any(not part.undescribed and part.kind is not ComponentKind.RECEPTACLE
                     for part in self.board.components)
        return [part for part in self.board.components if part.side in shown and not (placed and part.undescribed)]

    def on_path(self) -> set[str]:
        """Parts that the way under suspicion goes through, the chip where it ends included."""
        if self.path is None:
            return set()
        return {step.through for step in self.path.steps if step.through} | ({self.path.chip} if self.path.chip else
                                                                             set())

    def _paint_parts(self, painter: QPainter) -> None:
        on_path = self.on_path()
        between = set(self.stretch.parts) if self.stretch else set()
        for part in self.parts_here():
            box = self.box_of(part)
            if not box.intersects(QRectF(self.rect())):
                continue
            lit = part.designator in on_path
            painter.setPen(QPen(look.colour("ink" if lit else "edge"), 2 if lit else 1))
            painter.setBrush(look.colour("lit") if part.designator in between else look.colour(
                "band" if part.kind is ComponentKind.IC else "shelf"))
            painter.drawRoundedRect(box, 2, 2)

    def _paint_path(self, painter: QPainter) -> None:
        """The way from contact to chip over the points of this side; what runs on the other side is dotted."""
        if self.path is None or self.board is None:
            return
        stops: list[tuple[QPointF, Side]] = []
        for step in self.path.steps:
            if step.through:
                part = self.board.component_by_designator[step.through]
                stops.append((self.place(part.x_mm, part.y_mm, part.side), part.side))
            elif step.points:
                first = self.board.point_by_id[step.points[0]]
                stops.append((self.place(first.x_mm, first.y_mm, first.side), first.side))
        if self.path.chip:
            chip = self.board.component_by_designator[self.path.chip]
            stops.append((self.place(chip.x_mm, chip.y_mm, chip.side), chip.side))
        shown = {pane.side for pane in self.panes()}
        for (one, side), (two, other) in pairwise(stops):
            here = side is other and side in shown
            painter.setPen(QPen(look.colour("above"), 2.5, Qt.PenStyle.SolidLine if here else Qt.PenStyle.DotLine))
            painter.drawLine(one, two)

    def _paint_points(self, painter: QPainter) -> None:
        size = self.dot()
        on_path = set(self.path.points) if self.path else set()
        for point in self.points_here():
            at = self.place(point.x_mm, point.y_mm, point.side)
            judged = self.judged.get(point.id)
            if judged is not None and judged.judgement.verdict.is_off:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(look.colour("lit"))
                painter.drawEllipse(at, size * 1.1, size * 1.1)
                draw_mark(painter, judged.judgement.verdict, at.x(), at.y(), size * 1.5,
                          look.verdict_colour(judged.judgement.verdict))
            else:
                read = judged is not None and judged.judgement.verdict is Verdict.WITHIN
                painter.setPen(QPen(look.colour("ink" if read or point.id in on_path else "quiet"), 1))
                painter.setBrush(look.colour("ink") if read else look.colour("panel"))
                painter.drawEllipse(at, size * 0.35, size * 0.35)
            if point.id in self.before:
                painter.setPen(QPen(look.colour("ink"), 1.4, Qt.PenStyle.DashLine))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, size * 0.8, size * 0.8)
            if point.id == self.current:
                painter.setPen(QPen(look.colour("ink"), 2.5))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawEllipse(at, size * RING, size * RING)
        painter.setFont(look.font(13, QFont.Weight.Bold))
        for tag, words in self.number_tags(size):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.colour("card"))
            painter.drawRoundedRect(tag, 4, 4)
            painter.setPen(look.colour("card_ink"))
            painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, words)

    def dot(self) -> float:
        """Size of a point on the screen."""
        return max(5.0, min(12.0, 1.1 * self._scale()))

    def number_tags(self, size: float) -> list[tuple[QRectF, str]]:
        """Tags of the points that are asked for, in their order; points too near for a tag each share one, '3 · 4'."""
        tags: list[tuple[QRectF, list[int]]] = []
        for number, name in enumerate(self.asked, start=1):
            asked = self.board.point_by_id.get(name) if self.board else None
            if asked is None or self.pane_of(asked.side) is None:
                continue
            at = self.place(asked.x_mm, asked.y_mm, asked.side)
            tag = QRectF(at.x() + size, at.y() - look.px(20), look.px(20), look.px(18))
            shared = next((k for k, (other, _) in enumerate(tags) if other.intersects(tag)), None)
            if shared is None:
                tags.append((tag, [number]))
            else:
                other, numbers = tags[shared]
                numbers.append(number)
                other.setWidth(look.px(20) * len(numbers))
        return [(tag, " · ".join(map(str, numbers))) for tag, numbers in tags]

    def _zoom_by(self, factor: float) -> None:
        current = self.board.point_by_id.get(self.current) if self.board else None
        if factor > 1 and self.zoom == 1.0 and current is not None and current.side is self.side:
            self.middle = QPointF(current.x_mm, current.y_mm)
        self.zoom = min(max(self.zoom * factor, 1.0), MOST_ZOOM)
        if self.zoom == 1.0 and self.board is not None:
            self.middle = self._whole_mm.center()
        self.update()

    def _pan(self, dx: float, dy: float) -> None:
        """By pixels of the screen."""
        scale = self._scale()
        mirrored = 1 if self.side is Side.TOP else -1
        self.middle = QPointF(self.middle.x() + mirrored * dx / scale, self.middle.y() + dy / scale)
        self.update()

    @property
    def placing(self) -> bool:
        """Whether a click puts a part there."""
        return self._receive is not None

    def place_by(self, receive: Callable[[float, float, str], None] | None) -> None:
        """Who is told where a click is, in millimetres and by side: one at a time; Esc, or None, ends it."""
        self._receive = receive
        if receive is not None:
            self.setCursor(Qt.CursorShape.CrossCursor)
        else:
            self.unsetCursor()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if self.placing and event.key() == Qt.Key.Key_Escape:
            self.place_by(None)
            return
        if self.board is None or event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            super().keyPressEvent(event)
            return
        step = 40.0
        pans = {Qt.Key.Key_Left: (-step, 0.0), Qt.Key.Key_Right: (step, 0.0), Qt.Key.Key_Up: (0.0, -step),
                Qt.Key.Key_Down: (0.0, step)}
        key = Qt.Key(event.key())
        if key == Qt.Key.Key_F:
            self.flip()
        elif key in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
            self._zoom_by(ZOOM)
        elif key == Qt.Key.Key_Minus:
            self._zoom_by(1 / ZOOM)
        elif key == Qt.Key.Key_Home:
            self.whole()
        elif key in pans:
            self._pan(*pans[key])
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        if self.board is not None:
            self._zoom_by(ZOOM if event.angleDelta().y() > 0 else 1 / ZOOM)
        event.accept()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._grabbed, self._dragged = event.position(), False

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.board is None:
            return
        if self._grabbed is None:
            self._tell(event.position(), event.globalPosition().toPoint())
            return
        moved = event.position() - self._grabbed
        if self._dragged or moved.manhattanLength() > 4:
            self._dragged = True
            self._pan(-moved.x(), -moved.y())
            self._grabbed = event.position()

    def _tell(self, at: QPointF, globally: QPoint) -> None:
        """What is known of the point under the mouse."""
        name = self.point_at(at)
        QToolTip.showText(globally, self.describe(name) if name else "", self)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grabbed is not None and not self._dragged and self.board is not None:
            if self._receive is not None:
                self._receive(*self.board_place(event.position()))
                self._grabbed = None
                return
            name = self.point_at(event.position())
            if name:
                self.chosen.emit(name)
        self._grabbed = None

    def board_place(self, at: QPointF) -> tuple[float, float, str]:
        """Millimetres and side of a place on the screen."""
        pane = next((one for one in self.panes() if one.rect.contains(at)), self.panes()[0])
        scale = self.zoom * self._fit(pane.rect.width(), pane.rect.height())
        away = at - pane.rect.center()
        across = away.x() / scale * (1 if pane.side is Side.TOP else -1)
        return self.middle.x() + across, self.middle.y() + away.y() / scale, pane.side.value
