"""Contacts that must be one node, measured from one to the other: a cell for each pair below the ladder, in ohms."""

from __future__ import annotations

from collections.abc import Mapping

from PySide6.QtCore import QEvent, QObject, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import QFocusEvent, QFont, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PySide6.QtWidgets import QWidget

from dextrum.app.reading.judged import JudgedReading
from dextrum.core.board import Point
from dextrum.desktop.frame.named_places import NAMED_AFTER, NamedPlaces
from dextrum.desktop.marks import draw_mark
from dextrum.desktop.port.reading_field import ReadingField
from dextrum.desktop.theme import fill, look
from dextrum.tongue import tr

CELL_WIDTH, CELL_HEIGHT, TITLE_HEIGHT = 116, 44, 18


class PairStrip(QWidget):
    """Signals: entered (point, text), left when it goes back above the first cell, passed_end."""

    entered = Signal(str, str)
    left = Signal()
    passed_end = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.pairs: tuple[Point, ...] = ()
        self.judged: Mapping[str, JudgedReading] = {}
        self.current = 0
        self.at_end = False
        self.method_words = ""
        self._shown_as: tuple[object, ...] = ()
        self.setAccessibleName(tr("Contact to contact"))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self._named = NamedPlaces(self)
        self.field = ReadingField(self)
        self.field.hide()
        self.field.installEventFilter(self)
        self.field.entered.connect(self._typed)
        self.field.moved.connect(self._move)

    def show_pairs(self, pairs: tuple[Point, ...], judged: Mapping[str, JudgedReading], method_words: str) -> None:
        shown = {p.id: judged[p.id] for p in pairs if p.id in judged}
        same = (id(pairs), look.scale, look.theme.name, method_words)
        if same == self._shown_as and shown == self.judged:
            return  # a contact's reading changes nothing here, and must be on the screen within a frame
        if pairs != self.pairs:
            self.current = 0
        self._shown_as = same
        self.pairs, self.judged, self.method_words = pairs, shown, method_words
        self.setVisible(bool(pairs))
        self.setFixedHeight(self._rows() * look.px(CELL_HEIGHT) + look.px(TITLE_HEIGHT))
        self._place_field()
        self.update()
        QTimer.singleShot(NAMED_AFTER, self, self._name_cells)

    def _name_cells(self) -> None:
        """For a screen reader, where one is there."""
        from PySide6.QtGui import QAccessible

        if QAccessible.isActive():
            self._named.show([(self._name(pair), self._cell(index).toRect()) for index, pair in enumerate(self.pairs)])

    def _name(self, pair: Point) -> str:
        """As a screen reader says it: 'A4–A9, 0.05 Ω, within'."""
        judged = self.judged.get(pair.id)
        return f"{_ends(pair)}, " + (tr("not read") if judged is None
                                     else f"{_value(judged)}, {judged.judgement.verdict.words}")

    def current_point(self) -> str:
        return self.pairs[self.current].id if self.pairs else ""

    def go_to(self, point: str) -> bool:
        found = [i for i, pair in enumerate(self.pairs) if pair.id == point]
        if found:
            self.current = found[0]
            self.at_end = False
            self._place_field()
            self.update()
            self.field.show()
            self.field.setFocus()
        return bool(found)

    def advance(self) -> None:
        """To the next cell; at the last it stops, and takes no further value until a cell is chosen."""
        if self.current == len(self.pairs) - 1:
            self.at_end = True
            self.passed_end.emit()
        else:
            self._move(1, 0)

    def _typed(self, text: str) -> None:
        if self.at_end:
            self.passed_end.emit()
        else:
            self.entered.emit(self.current_point(), text)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """The field is only there while it has the keyboard, so that one place at a time asks for a value."""
        if watched is self.field and event.type() in (QEvent.Type.FocusIn, QEvent.Type.FocusOut):
            # While its field has the keyboard, the strip is no stop of its own.
            self.setFocusPolicy(Qt.FocusPolicy.NoFocus if event.type() == QEvent.Type.FocusIn
                                else Qt.FocusPolicy.TabFocus)
            if event.type() == QEvent.Type.FocusOut and not self.field.text():
                self.field.hide()
            self.update()
        return super().eventFilter(watched, event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Reached by Tab: the cell in hand takes a value."""
        super().focusInEvent(event)
        if self.pairs:
            QWidget.setTabOrder(self, self.field)
            if event.reason() == Qt.FocusReason.BacktabFocusReason:
                self.focusPreviousChild()
            else:
                self.go_to(self.current_point())

    def sizeHint(self) -> QSize:
        return QSize(500, self.minimumHeight())

    def _across(self) -> int:
        return max(1, self.width() // look.px(CELL_WIDTH))

    def _rows(self) -> int:
        return -(-len(self.pairs) // self._across()) if self.pairs else 0

    def _cell(self, index: int) -> QRectF:
        across = min(self._across(), max(len(self.pairs), 1))
        width = self.width() / across
        return QRectF((index % across) * width, look.px(TITLE_HEIGHT) + (index // across) * look.px(CELL_HEIGHT),
                      width, look.px(CELL_HEIGHT))

    def _move(self, columns: int, rows: int) -> None:
        if not self.pairs:
            return
        step = columns + rows
        if self.current + step < 0:
            self.left.emit()
            return
        self.current = min(self.current + step, len(self.pairs) - 1)
        self.at_end = False
        self._place_field()
        self.update()

    def _place_field(self) -> None:
        if not self.pairs:
            self.field.hide()
            return
        cell = self._cell(self.current)
        self.field.setGeometry(int(cell.left() + 4), int(cell.top() + look.px(17)), int(cell.width() - 10),
                               int(cell.height() - look.px(19)))
        judged = self.judged.get(self.current_point())
        self.field.setPlaceholderText("" if judged is None else _value(judged))
        self.field.setAccessibleName(tr("Reading of {ends}, ohms", ends=_ends(self.pairs[self.current])))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.setFixedHeight(self._rows() * look.px(CELL_HEIGHT) + look.px(TITLE_HEIGHT))
        self._place_field()
        super().resizeEvent(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for index, pair in enumerate(self.pairs):
            if self._cell(index).contains(event.position()):
                self.go_to(pair.id)

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(look.font(12, QFont.Weight.DemiBold))
        painter.setPen(look.colour("ink"))
        painter.drawText(QRectF(0, 0, self.width(), look.px(TITLE_HEIGHT)), Qt.AlignmentFlag.AlignVCenter,
                         tr("contact to contact, one node · Ω · {method_words}", method_words=self.method_words))
        for index, pair in enumerate(self.pairs):
            cell, judged = self._cell(index), self.judged.get(pair.id)
            off = judged is not None and judged.judgement.verdict.is_off
            if off:
                fill(painter, cell.adjusted(1, 1, -1, -1), look.colour("lit"))
            here = index == self.current and self.field.hasFocus()
            painter.setPen(QPen(look.colour("ink" if here else "rule"), 2 if here else 1))
            painter.drawRect(cell.adjusted(1, 1, -1, -1))
            painter.setFont(look.font(12))
            painter.setPen(look.colour("quiet"))
            painter.drawText(cell.adjusted(6, 2, -4, 0), Qt.AlignmentFlag.AlignTop, _ends(pair))
            if judged is None or here:
                continue
            colour = look.verdict_colour(judged.judgement.verdict)
            painter.setFont(look.font(15, QFont.Weight.DemiBold if off else QFont.Weight.Normal))
            painter.setPen(colour if off else look.colour("ink"))
            painter.drawText(cell.adjusted(6, 0, -4, -3), Qt.AlignmentFlag.AlignBottom, _value(judged))
            if off:
                draw_mark(painter, judged.judgement.verdict, cell.right() - look.px(14),
                          cell.bottom() - look.px(13), look.px(14), colour)


def _ends(pair: Point) -> str:
    return f"{pair.at.partition('.')[2]}–{(pair.to or '').partition('.')[2]}"


def _value(judged: JudgedReading) -> str:
    value = judged.reading.shown
    return "OL" if value == float("inf") else f"{value:.2f} Ω"
