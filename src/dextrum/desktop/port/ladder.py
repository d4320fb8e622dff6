"""The port as a ladder: a lane for each contact, row A growing to the left and row B to the right.

A lane shows the tolerance as a band, the known-good as a notch and the reading as a marker with its number, so a
healthy port looks symmetrical and twins sit side by side.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from dextrum.app.reading.comparing import Comparison
from dextrum.app.reading.judged import JudgedReading, judge_reading
from dextrum.core.board import Board, Contact, Method
from dextrum.core.board.value_words import value_words
from dextrum.core.reference.judge import Judgement, Verdict
from dextrum.core.reference.table import ReferenceTable
from dextrum.desktop.frame.named_places import NAMED_AFTER, NamedPlaces
from dextrum.desktop.marks import draw_mark
from dextrum.desktop.port.reading_field import ReadingField
from dextrum.desktop.theme import fill, look
from dextrum.tongue import tr

FULL_SCALE_VOLTS = 0.9
TICKS = (0.0, 0.2, 0.4, 0.6, 0.8)
MIDDLE = 166
SIGNAL = 70
NAME_GAP = 15
VALUE_WIDTH = 74
WORD_WIDTH = 92
LEAST_ROW = 27
"""Pixels of a row at 100 % text, from which the field shows its figures whole."""
LEAST_MOVED = 8
"""Pixels by which a reading must have moved since before the repair to be marked."""


@dataclass(frozen=True)
class Lane:
    """One contact, its point, and the good board's band for an empty lane."""

    contact: Contact
    point: str
    band: Judgement
    method: Method


def lanes_of(board: Board, references: ReferenceTable, method: Method) -> tuple[Lane, ...]:
    """Lanes of the first port, in the order in which they are walked."""
    if not board.ports:
        return ()
    port = board.ports[0]
    by_at = {p.at: p.id for p in board.points if p.to is None}
    found = []
    for contact in sorted(port.contacts, key=lambda c: (c.row, c.place)):
        point = by_at.get(f"{port.component}.{contact.name}")
        if point is not None:
            found.append(Lane(contact, point, judge_reading(board, references, point, method, 0.0), method))
    return tuple(found)


def _shared_signal(signals: list[str]) -> str:
    """'TX1/2 +' for TX1+ and TX2+, 'CC1/2' for CC1 and CC2, the signal itself when both are the same."""
    if len(set(signals)) == 1:
        return signals[0]
    one, two = signals[0], signals[1]
    sign = one[-1] if one[-1] in "+\u2212" else ""
    stem, number = one.rstrip("+\u2212")[:-1], one.rstrip("+\u2212")[-1]
    other = two.rstrip("+\u2212")[-1]
    return f"{stem}{number}/{other} {sign}".strip()


class PortLadder(QWidget):
    """Signals: entered (point, text) when a reading was typed, moved when another lane is current, passed_end when it
    goes on below the last lane."""

    entered = Signal(str, str)
    moved = Signal(str)
    passed_end = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.lanes: tuple[Lane, ...] = ()
        self.judged: dict[str, JudgedReading] = {}
        self.due: tuple[str, ...] = ()
        self.current = 0
        self.at_end = False
        self.numbers: Mapping[str, int] = {}
        self.comparison: Comparison | None = None
        self._rows: list[int] = []
        self.setAccessibleName(tr("Port ladder"))
        self._named = NamedPlaces(self)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_OpaquePaintEvent)
        self.field = ReadingField(self)
        self.field.entered.connect(self._entered)
        self.field.moved.connect(self.move_by)

    def show_port(self, lanes: tuple[Lane, ...], judged: dict[str, JudgedReading]) -> None:
        same = lanes is self.lanes
        if not same and [lane.point for lane in lanes] != [lane.point for lane in self.lanes]:
            self.current = 0
        changed = [lane for lane in lanes if self.judged.get(lane.point) != judged.get(lane.point)]
        self.lanes = lanes
        self.judged = judged
        self._rows = sorted({lane.contact.place for lane in lanes})
        self.field.setVisible(bool(lanes))
        # Rows never get lower than their figures; a larger text scrolls instead.
        self.setMinimumHeight(look.px(24) + len(self._rows) * look.px(LEAST_ROW))
        self._place_field()
        if not same:
            self.update()
        for lane in changed:
            self._update_lane(lane)
        QTimer.singleShot(NAMED_AFTER, self, self._name_lanes)

    def _name_lanes(self) -> None:
        """For a screen reader, where one is there."""
        from PySide6.QtGui import QAccessible

        if QAccessible.isActive():
            self._named.show([(self.name_of(lane), self._lane_rect(lane)) for lane in self.lanes])

    def name_of(self, lane: Lane) -> str:
        """As a screen reader says it: 'B5 CC2, 0.000 V, grounded, reference 0.585 V'."""
        judged, band = self.judged.get(lane.point), lane.band
        words = [f"{lane.contact.name} {lane.contact.shown_signal}"]
        words += [tr("not read")] if judged is None else [
            value_words(judged.reading.value, judged.method), judged.judgement.verdict.words]
        if band.boards:
            words.append(tr("reference {value_words}", value_words=value_words(band.centre, lane.method)))
        if lane.point in self.due:
            words.append(tr("asked for next"))
        return ", ".join(words)

    def rows_there(self) -> str:
        """'AB', or 'A' for a socket of its own kind with one row."""
        return "AB" if any(lane.contact.row == "B" for lane in self.lanes) else "A"

    def _lane_rect(self, lane: Lane) -> QRect:
        half = self.width() // 2
        return QRect(0 if lane.contact.row == "A" else half, int(self._row_top(lane.contact.place)), half,
                     int(self._row_height()))

    def _update_lane(self, lane: Lane) -> None:
        """Only what changed is painted anew: a reading must be on the screen within a frame."""
        self.update(0, int(self._row_top(lane.contact.place)) - 1, self.width(), int(self._row_height()) + 3)

    def current_point(self) -> str:
        return self.lanes[self.current].point if self.lanes else ""

    def go_to(self, point: str) -> None:
        for index, lane in enumerate(self.lanes):
            if lane.point == point:
                self._update_lane(self.lanes[self.current])
                self.current = index
                self.at_end = False
                self._place_field()
                self._update_lane(lane)
                self.moved.emit(point)

    def has(self, point: str) -> bool:
        return any(lane.point == point for lane in self.lanes)

    def first_unread(self) -> str:
        return next((lane.point for lane in self.lanes if lane.point not in self.judged), "")

    def advance(self) -> None:
        """To the next lane down the row; at the last it stops, and takes no further value until a lane is chosen."""
        if self.lanes and self.current == len(self.lanes) - 1:
            self.at_end = True
            self.passed_end.emit()
        elif self.lanes:
            self.go_to(self.lanes[min(self.current + 1, len(self.lanes) - 1)].point)

    def move_by(self, columns: int, rows: int) -> None:
        if not self.lanes:
            return
        lane = self.lanes[self.current].contact
        if rows:
            self.go_to(self.lanes[(self.current + rows) % len(self.lanes)].point)
        else:
            wanted = "B" if columns > 0 else "A"
            twin = [ln for ln in self.lanes if ln.contact.row == wanted and ln.contact.place == lane.place]
            if twin:
                self.go_to(twin[0].point)

    def _entered(self, text: str) -> None:
        if self.lanes and self.at_end:
            self.passed_end.emit()
        elif self.lanes:
            self.entered.emit(self.current_point(), text)

    def sizeHint(self) -> QSize:
        return QSize(500, self.minimumHeight())

    def _row_height(self) -> float:
        return (self.height() - look.px(24)) / max(1, len(self._rows))

    def _row_top(self, place: int) -> float:
        return look.px(24) + self._rows.index(place) * self._row_height()

    def _axis(self, row: str) -> tuple[float, float]:
        """x of 0 V, and pixels per volt (negative for row A)."""
        middle = self.width() / 2
        zero = middle + (look.px(MIDDLE) / 2 if row == "B" else -look.px(MIDDLE) / 2)
        room = self.width() / 2 - look.px(MIDDLE) / 2 - look.px(VALUE_WIDTH) - look.px(8)
        return zero, (room if row == "B" else -room) / FULL_SCALE_VOLTS

    def _place_field(self) -> None:
        if not self.lanes:
            return
        lane = self.lanes[self.current]
        height = min(self._row_height() - 2, look.px(32))
        top = self._row_top(lane.contact.place) + (self._row_height() - height) / 2
        width = look.px(VALUE_WIDTH + 8)
        left = 0 if lane.contact.row == "A" else self.width() - width
        self.field.setGeometry(int(left), int(top), int(width), int(height))
        judged = self.judged.get(lane.point)
        self.field.setPlaceholderText("" if judged is None else value_text(judged))
        self.field.setAccessibleName(tr("Reading of {contact} {signal}, volts", contact=lane.contact.name,
                                        signal=lane.contact.shown_signal))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._place_field()
        super().resizeEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = "A" if event.position().x() < self.width() / 2 else "B"
        for lane in self.lanes:
            top = self._row_top(lane.contact.place)
            if lane.contact.row == row and top <= event.position().y() < top + self._row_height():
                self.go_to(lane.point)
                self.field.setFocus()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        fill(painter, event.rect(), look.colour("ground"))
        if not self.lanes:
            return
        self._paint_axes(painter, event.rect().top() < look.px(24))
        region = event.region()
        by_place: dict[int, list[Lane]] = {}
        for lane in self.lanes:
            by_place.setdefault(lane.contact.place, []).append(lane)
        for place, lanes in by_place.items():
            top, height = self._row_top(place), self._row_height()
            if not region.intersects(QRect(0, int(top), self.width(), int(height) + 1)):
                continue
            for lane in lanes:
                self._paint_lane(painter, lane, top, height)
            painter.setFont(look.font(13, QFont.Weight.DemiBold))
            painter.setPen(look.colour("ink"))
            signal = look.px(SIGNAL)
            painter.drawText(QRectF((self.width() - signal) / 2, top, signal, height), Qt.AlignmentFlag.AlignCenter,
                             _shared_signal([lane.contact.shown_signal for lane in lanes]))
            painter.setPen(QPen(look.colour("rule"), 1))
            painter.drawLine(QPointF(0, top + height), QPointF(self.width(), top + height))

    def _paint_axes(self, painter: QPainter, labels: bool) -> None:
        painter.setFont(look.font(12))
        bottom = self.height()
        rows = self.rows_there()
        for row in rows:
            zero, scale = self._axis(row)
            step = abs(scale) * (TICKS[1] - TICKS[0])
            crowded = 1 if step >= look.px(26) else 2 if step * 2 >= look.px(26) else 4
            for tick in TICKS[::crowded]:
                x = zero + tick * scale
                if labels:
                    painter.setPen(look.colour("quiet"))
                    painter.drawText(QRectF(x - 20, 0, 40, look.px(18)), Qt.AlignmentFlag.AlignCenter, f"{tick:.1f}")
                painter.setPen(QPen(look.colour("rule"), 1, Qt.PenStyle.DotLine))
                painter.drawLine(QPointF(x, look.px(20)), QPointF(x, bottom))
        if not labels:
            return
        painter.setPen(look.colour("ink"))
        painter.setFont(look.font(12, QFont.Weight.DemiBold))
        wide, high = look.px(WORD_WIDTH), look.px(18)
        painter.drawText(QRectF(0, 0, wide, high), Qt.AlignmentFlag.AlignLeft, tr("row A · V"))
        if "B" in rows:
            painter.drawText(QRectF(self.width() - wide, 0, wide, high), Qt.AlignmentFlag.AlignRight, tr("row B · V"))

    def _paint_lane(self, painter: QPainter, lane: Lane, top: float, height: float) -> None:
        row, judged = lane.contact.row, self.judged.get(lane.point)
        zero, scale = self._axis(row)
        middle = top + height / 2
        half_width = self.width() / 2
        lane_width = half_width - look.px(SIGNAL) / 2
        left = 0 if row == "A" else self.width() - lane_width
        verdict = judged.judgement.verdict if judged else Verdict.NOT_JUDGED
        is_current = self.lanes[self.current] is lane
        if (judged and verdict.is_off) or lane.point in self.due:
            fill(painter, QRectF(left, top + 1, lane_width, height - 1), look.colour("lit"))
        if is_current:
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(left + 1, top + 1, lane_width - 2, height - 2))
        self._paint_band(painter, lane.band, zero, scale, middle, height)
        painter.setFont(look.font(12))
        painter.setPen(look.colour("quiet"))
        wide, gap = look.px(30), look.px(NAME_GAP)
        name = QRectF(half_width - look.px(MIDDLE) / 2 + gap, top, wide, height) if row == "A" else QRectF(
            half_width + look.px(MIDDLE) / 2 - gap - wide, top, wide, height)
        painter.drawText(name, Qt.AlignmentFlag.AlignVCenter
                         | (Qt.AlignmentFlag.AlignLeft if row == "A" else Qt.AlignmentFlag.AlignRight),
                         str(self.numbers.get(lane.contact.name, lane.contact.name)))
        if self.comparison is not None:
            self._paint_compared(painter, lane, zero, scale, middle, height)
        if lane.point in self.due and len(self.due) > 1 and not verdict.is_off:
            self._paint_due(painter, lane, top, height)
        if judged is None:
            return
        self._paint_reading(painter, judged, row, zero, scale, top, height)

    def _paint_band(self, painter: QPainter, band: Judgement, zero: float, scale: float, middle: float,
                    height: float) -> None:
        if band.centre != band.centre or band.centre == float("inf"):
            return
        low, high = zero + band.low * scale, zero + min(band.high, FULL_SCALE_VOLTS) * scale
        box = QRectF(min(low, high), middle - height * 0.26, max(4.0, abs(high - low)), height * 0.52)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.colour("band"))
        painter.drawRoundedRect(box, 3, 3)
        x = zero + min(band.centre, FULL_SCALE_VOLTS) * scale
        painter.setPen(QPen(look.colour("ink"), 1.4))
        painter.drawLine(QPointF(x, middle - height * 0.30), QPointF(x, middle + height * 0.30))

    def _paint_compared(self, painter: QPainter, lane: Lane, zero: float, scale: float, middle: float,
                        height: float) -> None:
        """The reading it is compared with, as a hollow square."""
        assert self.comparison is not None
        other = self.comparison.at(lane.point, lane.method)
        if other is None:
            return
        x = zero + min(other, FULL_SCALE_VOLTS) * scale
        half = min(height * 0.24, look.px(6))
        painter.setPen(QPen(look.colour("ink"), 1.8))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(QRectF(x - half, middle - half, 2 * half, 2 * half))

    @staticmethod
    def _paint_before(painter: QPainter, value: float, now: float, zero: float, scale: float, middle: float,
                      outward: int) -> None:
        """What it read before the repair: a ring; at the open end of the lane, with its word, where it was OL."""
        was_open = value == float("inf")
        old = zero + FULL_SCALE_VOLTS * scale - outward * look.px(44) if was_open \
            else zero + min(value, FULL_SCALE_VOLTS) * scale
        if not was_open and abs(old - now) < look.px(LEAST_MOVED):
            return  # it reads as it did: a second mark would only hide the first
        painter.setPen(QPen(look.colour("ink"), 1.6, Qt.PenStyle.DashLine if was_open else Qt.PenStyle.SolidLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        radius = look.px(5)
        painter.drawEllipse(QPointF(old, middle), radius, radius)
        if was_open:
            painter.setFont(look.font(12))
            painter.setPen(look.colour("quiet"))
            box = QRectF(old + radius + 3 if outward > 0 else old - radius - 3 - look.px(46), middle - look.px(9),
                         look.px(46), look.px(18))
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | (
                Qt.AlignmentFlag.AlignLeft if outward > 0 else Qt.AlignmentFlag.AlignRight), tr("was OL"))

    def _paint_due(self, painter: QPainter, lane: Lane, top: float, height: float) -> None:
        """The number of a contact that the next step asks for, in the order in which it asks."""
        side = look.px(18)
        left = look.px(VALUE_WIDTH + 12) if lane.contact.row == "A" else self.width() - look.px(VALUE_WIDTH + 12) - side
        tag = QRectF(left, top + (height - side) / 2, side, side)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.colour("card"))
        painter.drawRoundedRect(tag, 4, 4)
        painter.setPen(look.colour("card_ink"))
        painter.setFont(look.font(12, QFont.Weight.Bold))
        painter.drawText(tag, Qt.AlignmentFlag.AlignCenter, str(self.due.index(lane.point) + 1))

    def _paint_reading(self, painter: QPainter, judged: JudgedReading, row: str, zero: float, scale: float,
                       top: float, height: float) -> None:
        verdict = judged.judgement.verdict
        colour = look.verdict_colour(verdict)
        value = judged.reading.value
        middle = top + height / 2
        outward = 1 if row == "B" else -1
        x = zero + FULL_SCALE_VOLTS * scale - outward * 12 if value == float("inf") else zero + min(
            value, FULL_SCALE_VOLTS) * scale
        draw_mark(painter, verdict, x, middle, min(height * 0.5, look.px(18)), colour)
        if judged.before is not None:
            self._paint_before(painter, judged.before.value, x, zero, scale, middle, outward)
        left = 0 if row == "A" else self.width() - look.px(VALUE_WIDTH)
        painter.setFont(look.font(17, QFont.Weight.DemiBold if verdict.is_off else QFont.Weight.Normal))
        painter.setPen(colour if verdict.is_off else look.colour("ink"))
        painter.drawText(QRectF(left + (2 if row == "A" else 0), top, look.px(VALUE_WIDTH) - 2, height),
                         Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignLeft if row == "A"
                                                          else Qt.AlignmentFlag.AlignRight), value_text(judged))
        if verdict.is_off:
            painter.setFont(look.font(12, QFont.Weight.DemiBold))
            width = look.px(WORD_WIDTH)
            width = min(width, painter.fontMetrics().horizontalAdvance(verdict.words) + 4)
            beside = look.px(VALUE_WIDTH + 10)  # clear of the field, which is wider than the figures
            word_left = beside if row == "A" else self.width() - beside - width
            # Over the band, where the two meet in large type.
            fill(painter, QRectF(word_left, top + 3, width, height - 6), look.colour("lit"))
            painter.drawText(QRectF(word_left, top, width, height), Qt.AlignmentFlag.AlignVCenter | (
                Qt.AlignmentFlag.AlignLeft if row == "A" else Qt.AlignmentFlag.AlignRight), verdict.words)


def value_text(judged: JudgedReading) -> str:
    value = judged.reading.shown
    digits = ".3f" if judged.method.is_diode else ".4g" if judged.method is Method.CAPACITANCE else ".2f"
    text = "OL" if value == float("inf") else f"{value:{digits}}"
    return text + ("~" if judged.reading.wavering else "")
