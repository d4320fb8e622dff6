"""The day as a ribbon: hands in one band, block after block, and under it the waits that go on by themselves.

Hours are true to scale; a break or a night is a narrow gap. Blocks carry the number they have in the list below. A
block that is dragged pins its job to where it was let go.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from dextrum.app.day.day_plan import DayPlanned, RibbonItem
from dextrum.core.when import clock_words, short_day_words
from dextrum.desktop.theme import look
from dextrum.tongue import tr

SHOWN_MINUTES = 540.0
"""Of hands' hours that are shown: a long day, or the rest of this one and the morning of the next."""
GAP = 16.0
BAND, LANE, AXIS = 44, 15, 22
MOST_LANES = 5
DRAG_PIXELS = 6
TO_FIVE = timedelta(minutes=5)


@dataclass(frozen=True)
class Scale:
    """Windows of hours and where each begins on the ribbon, in pixels."""

    windows: tuple[tuple[datetime, datetime], ...]
    lefts: tuple[float, ...]
    per_minute: float

    def x(self, moment: datetime) -> float:
        """Where a moment lies; within a gap by its share of it."""
        for k, (begin, end) in enumerate(self.windows):
            if moment < begin:
                if k == 0:
                    return self.lefts[0]
                before = self.windows[k - 1][1]
                share = (moment - before) / max(begin - before, timedelta(seconds=1))
                return self.lefts[k] - GAP + GAP * min(1.0, max(0.0, share))
            if moment <= end:
                return self.lefts[k] + (moment - begin).total_seconds() / 60.0 * self.per_minute
        last = len(self.windows) - 1
        return self.lefts[last] + (self.windows[last][1] - self.windows[last][0]).total_seconds() / 60.0 \
            * self.per_minute

    def moment(self, x: float) -> datetime:
        """The moment at a place; of a gap the beginning of the hours after it."""
        for k, (begin, end) in enumerate(self.windows):
            wide = (end - begin).total_seconds() / 60.0 * self.per_minute
            if x < self.lefts[k]:
                return begin
            if x <= self.lefts[k] + wide:
                return begin + timedelta(minutes=(x - self.lefts[k]) / self.per_minute)
        return self.windows[-1][1]


def scale_of(windows: Sequence[tuple[datetime, datetime]], wide: float) -> Scale | None:
    """The first hours, so that they fill the width; None where there are none."""
    shown: list[tuple[datetime, datetime]] = []
    left = SHOWN_MINUTES
    for begin, end in windows:
        minutes = (end - begin).total_seconds() / 60.0
        if left <= 1.0:
            break
        shown.append((begin, begin + timedelta(minutes=min(minutes, left))))
        left -= minutes
    if not shown:
        return None
    whole = sum((end - begin).total_seconds() / 60.0 for begin, end in shown)
    per_minute = max(0.05, (wide - GAP * (len(shown) - 1)) / max(whole, 1.0))
    lefts, x = [], 0.0
    for begin, end in shown:
        lefts.append(x)
        x += (end - begin).total_seconds() / 60.0 * per_minute + GAP
    return Scale(tuple(shown), tuple(lefts), per_minute)


class DayRibbon(QWidget):
    """Signals: chosen (a job's id), pinned (a job's id, the moment in UTC)."""

    chosen = Signal(str)
    pinned = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("The day as a ribbon"))
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setMouseTracking(True)
        self.day: DayPlanned | None = None
        self.in_view = ""
        self._pressed: tuple[RibbonItem, float] | None = None
        self._dragged = 0.0

    def sizeHint(self) -> QSize:
        return QSize(400, look.px(AXIS + BAND + 6 + LANE * self._lanes() + 4))

    minimumSizeHint = sizeHint

    def _lanes(self) -> int:
        return max(1, max((lane + 1 for _, lane in self._in_lanes()), default=1))

    def _in_lanes(self) -> list[tuple[RibbonItem, int]]:
        """Waits with the lane each lies in, so that neither lines nor names meet; what needs more lanes than there are
        is left out."""
        scale = self._scale()
        if scale is None:
            return []
        taken: list[float] = []
        found = []
        metrics = QFontMetricsF(look.font(12))
        for item in sorted(self._waits(), key=lambda one: one.end):
            left, right = scale.x(item.end), max(scale.x(item.until), scale.x(item.end) + 3.0)
            lane = next((k for k, until in enumerate(taken) if until <= left), len(taken))
            if lane >= MOST_LANES:
                continue
            end = right + metrics.horizontalAdvance(item.serial) + look.px(14)
            taken[lane:lane + 1] = [end]
            found.append((item, lane))
        return found

    def show_day(self, day: DayPlanned | None, in_view: str) -> None:
        self.day, self.in_view = day, in_view
        self.setFixedHeight(self.sizeHint().height())
        self.update()

    def _waits(self) -> list[RibbonItem]:
        """Steps after which the job waits, within what is shown."""
        scale = self._scale()
        if self.day is None or scale is None:
            return []
        last = scale.windows[-1][1]
        return [item for item in self.day.items if item.until > item.end and item.end < last]

    def _scale(self) -> Scale | None:
        return None if self.day is None else scale_of(self.day.windows, float(self.width()))

    def _blocks(self, scale: Scale) -> list[tuple[int, RibbonItem, QRectF]]:
        """Number in the list, step and rectangle of each stretch of hands that is shown."""
        assert self.day is not None
        top, found = look.px(AXIS), []
        for number, item in enumerate(self.day.items, start=1):
            for begin, end in item.pieces:
                if begin >= scale.windows[-1][1]:
                    continue
                left, right = scale.x(begin), scale.x(end)
                found.append((number, item, QRectF(left, top, max(2.0, right - left), look.px(BAND))))
        return found

    def paintEvent(self, _event: QPaintEvent) -> None:
        scale = self._scale()
        if self.day is None or scale is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_hours(painter, scale)
        for number, item, box in self._blocks(scale):
            self._paint_block(painter, number, item, box)
        self._paint_waits(painter, scale)
        self._paint_drag(painter, scale)

    def _paint_hours(self, painter: QPainter, scale: Scale) -> None:
        assert self.day is not None
        top, high = float(look.px(AXIS)), float(look.px(BAND))
        painter.setFont(look.font(12))
        today = self.day.at.astimezone().date()
        last_day, free_from = None, -100.0
        for left, (begin, end) in zip(scale.lefts, scale.windows, strict=True):
            wide = (end - begin).total_seconds() / 60.0 * scale.per_minute
            painter.fillRect(QRectF(left, top, wide, high), look.colour("panel"))
            painter.setPen(QPen(look.colour("rule"), 1))
            painter.drawRect(QRectF(left, top, wide, high))
            here = begin.astimezone()
            words = clock_words(here)
            if here.date() != today and here.date() != last_day:
                words = f"{short_day_words(here.date(), today)} {words}"
            last_day = here.date()
            marks = [(left, words)]
            hour = here.replace(minute=0, second=0, microsecond=0) + timedelta(hours=1)
            while hour < end.astimezone():
                marks.append((scale.x(hour), f"{hour:%H}"))
                hour += timedelta(hours=1)
            for x, text in marks:
                painter.setPen(QPen(look.colour("rule"), 1))
                painter.drawLine(QPointF(x, top - 4), QPointF(x, top + high))
                room = painter.fontMetrics().horizontalAdvance(text)
                if x < free_from or x + room > self.width():
                    continue
                painter.setPen(look.colour("quiet"))
                painter.drawText(QRectF(x, 0, room + 4.0, top - 4), int(Qt.AlignmentFlag.AlignLeft
                                                                         | Qt.AlignmentFlag.AlignVCenter), text)
                free_from = x + room + look.px(8)

    def _paint_block(self, painter: QPainter, number: int, item: RibbonItem, box: QRectF) -> None:
        inner = box.adjusted(0.5, 1.5, -1.0, -1.5)
        mine = item.job_id == self.in_view
        painter.setPen(QPen(look.colour("ink"), 2 if mine else 1))
        painter.setBrush(look.colour("card" if mine else "band"))
        painter.drawRect(inner)
        if item.late > 0.5:
            painter.fillRect(QRectF(inner.left(), inner.bottom() - look.px(5), inner.width(), look.px(5)),
                             look.colour("above"))
        painter.setPen(look.colour("card_ink" if mine else "ink"))
        painter.setFont(look.font(13, QFont.Weight.DemiBold))
        text = str(number)
        if painter.fontMetrics().horizontalAdvance(text) + 2 > inner.width():
            return
        long = f"{number}  {item.serial}"
        shown = long if painter.fontMetrics().horizontalAdvance(long) + look.px(8) <= inner.width() else text
        painter.drawText(inner.adjusted(0, 2, 0, -2), int(Qt.AlignmentFlag.AlignCenter), shown)
        if item.pinned:
            painter.setBrush(look.colour("above"))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(inner.left() + look.px(6), inner.top() + look.px(6)), look.px(3), look.px(3))

    def _paint_waits(self, painter: QPainter, scale: Scale) -> None:
        top = float(look.px(AXIS + BAND + 6))
        painter.setFont(look.font(12))
        for item, lane in self._in_lanes():
            left, right = scale.x(item.end), scale.x(item.until)
            y = top + lane * look.px(LANE) + look.px(LANE) / 2
            painter.setPen(QPen(look.colour("quiet"), look.px(3), Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(left, y), QPointF(max(right, left + 3.0), y))
            painter.setPen(look.colour("quiet"))
            words = item.serial
            room = painter.fontMetrics().horizontalAdvance(words)
            x = max(right, left + 3.0) + look.px(4)
            if x + room < self.width():
                painter.drawText(QPointF(x, y + look.px(4)), words)

    def _paint_drag(self, painter: QPainter, scale: Scale) -> None:
        if self._pressed is None or abs(self._dragged) < DRAG_PIXELS:
            return
        x = self._pressed[1] + self._dragged
        moment = self._to_five(scale.moment(max(0.0, x))).astimezone()
        painter.setPen(QPen(look.colour("above"), 2))
        painter.drawLine(QPointF(x, 0), QPointF(x, look.px(AXIS + BAND)))
        painter.setFont(look.font(13, QFont.Weight.DemiBold))
        painter.drawText(QPointF(min(x + 4, self.width() - look.px(60)), look.px(AXIS - 8)), clock_words(moment))

    @staticmethod
    def _to_five(moment: datetime) -> datetime:
        """To the next five minutes before."""
        since = timedelta(minutes=moment.minute, seconds=moment.second, microseconds=moment.microsecond)
        return moment - since % TO_FIVE

    def _at(self, x: float, y: float) -> RibbonItem | None:
        scale = self._scale()
        if scale is None:
            return None
        return next((item for _, item, box in self._blocks(scale) if box.contains(QPointF(x, y))), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        item = self._at(event.position().x(), event.position().y())
        self._pressed = (item, event.position().x()) if item is not None else None
        self._dragged = 0.0

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._pressed is not None:
            self._dragged = event.position().x() - self._pressed[1]
            self.update()
            return
        item = self._at(event.position().x(), event.position().y())
        self.setToolTip("" if item is None else tr("{serial}: {item}\nDrag it to put it elsewhere.", serial=item.serial,
                                                   item=item.words))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, self._pressed = self._pressed, None
        scale = self._scale()
        if pressed is None or scale is None:
            return
        if abs(event.position().x() - pressed[1]) < DRAG_PIXELS:
            self.chosen.emit(pressed[0].job_id)
        else:
            self.pinned.emit(pressed[0].job_id, self._to_five(scale.moment(max(0.0, event.position().x()))))
        self.update()
