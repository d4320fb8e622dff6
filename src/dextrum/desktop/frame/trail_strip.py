"""The trail: entries in time, newest at the right; a chosen one can be struck out."""

from __future__ import annotations

from PySide6.QtCore import QAbstractListModel, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QFont, QPainter, QPen, QResizeEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QVBoxLayout,
    QWidget,
)

from dextrum.app.commands import BY_ID
from dextrum.app.job.trail_words import TrailCard, trail_cards
from dextrum.core.when import clock_words
from dextrum.desktop.frame.chosen_row import is_chosen
from dextrum.desktop.frame.command_row import button_for
from dextrum.desktop.frame.elided_label import ElidedLabel
from dextrum.desktop.frame.job_model import JobModel
from dextrum.desktop.frame.regions import CARD_LINES
from dextrum.desktop.theme import look
from dextrum.tongue import tr

Index = QModelIndex | QPersistentModelIndex
NOWHERE = QModelIndex()
STEPS = ("trail.strike", "trail.back", "trail.strike_one")
SIDE = 18
LINE, HIGH, LOW_HIGH = 17, 112, 68
"""Pixels at 100 % text: from line to line of a card, and the strip's height with cards and with lines alone."""


class CardList(QAbstractListModel):
    def __init__(self) -> None:
        super().__init__()
        self.cards: tuple[TrailCard, ...] = ()

    def rowCount(self, parent: Index = NOWHERE) -> int:
        return 0 if parent.isValid() else len(self.cards)

    def data(self, index: Index, role: int = int(Qt.ItemDataRole.DisplayRole)) -> object:
        if not index.isValid():
            return None
        card = self.cards[index.row()]
        if role in (int(Qt.ItemDataRole.DisplayRole), int(Qt.ItemDataRole.AccessibleTextRole),
                    int(Qt.ItemDataRole.ToolTipRole)):
            struck = tr(", struck out") if card.struck else ""
            return f"{clock_words(card.at.astimezone())} {card.title}: {card.detail}{struck}"
        return None


class CardDelegate(QStyledItemDelegate):
    def __init__(self, cards: CardList) -> None:
        super().__init__()
        self.cards = cards
        self.lines = CARD_LINES

    def sizeHint(self, _option: QStyleOptionViewItem, _index: Index) -> QSize:
        return QSize(look.px(116), look.px(62 - LINE * (CARD_LINES - self.lines)))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        card = self.cards.cards[index.row()]
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(option.rect).adjusted(1, 1, -5, -1)
        chosen = is_chosen(option, index)
        painter.setPen(QPen(look.colour("ink" if chosen else "rule"), 2 if chosen else 1))
        painter.setBrush(look.colour("panel"))
        painter.drawRoundedRect(box, 4, 4)
        inner = box.adjusted(look.px(7), look.px(4), -look.px(5), -look.px(3))
        top = Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft
        line = look.px(LINE)
        said: tuple[tuple[str, QFont.Weight, int, str], ...] = (
            (clock_words(card.at.astimezone()), QFont.Weight.Normal, 0, "quiet"),
            (card.title, QFont.Weight.DemiBold, 1, "ink"), (card.detail, QFont.Weight.Normal, 2, "quiet"))
        if self.lines < CARD_LINES:
            said = ((card.title, QFont.Weight.DemiBold, 0, "ink"),)
        for text, weight, offset, role in said:
            font = QFont(look.font(13 if role == "ink" else 12, weight))
            font.setStrikeOut(card.struck and (offset > 0 or role == "ink"))
            painter.setFont(font)
            painter.setPen(look.colour(role))
            shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, int(inner.width()))
            painter.drawText(inner.adjusted(0, offset * line, 0, 0), top, shown)
        painter.restore()


class TrailStrip(QWidget):
    """Signals: asked (a command's id)."""

    asked = Signal(str)

    def __init__(self, model: JobModel) -> None:
        super().__init__()
        self.setObjectName("trail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.model = model
        self.cards = CardList()
        self.title = QLabel(tr("Trail"))
        self.title.setObjectName("section")
        self.said = ElidedLabel()
        self.said.setObjectName("quiet")
        self.said.setMinimumWidth(1)  # what it says gives way to what can be done
        head = QHBoxLayout()
        head.addWidget(self.title)
        head.addWidget(self.said, 1)
        self.buttons = [button_for(BY_ID[name], self.asked.emit) for name in STEPS]
        for button in self.buttons:
            head.addWidget(button)
        self.head = head
        self.list = QListView()
        self.list.setAccessibleName(tr("Trail"))
        self.list.setFlow(QListView.Flow.LeftToRight)
        self.list.setWrapping(False)
        self.list.setHorizontalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setModel(self.cards)
        self.delegate = CardDelegate(self.cards)
        self.list.setItemDelegate(self.delegate)
        column = QVBoxLayout(self)
        column.setContentsMargins(SIDE, 8, SIDE, 8)
        column.addLayout(head)
        column.addWidget(self.list)

    def refresh(self) -> None:
        self.cards.beginResetModel()
        self.cards.cards = trail_cards(self.model.trail, self.model.board)
        self.cards.endResetModel()
        self._fit()
        if self.cards.cards:
            self.list.scrollTo(self.cards.index(len(self.cards.cards) - 1))

    def show_lines(self, lines: int) -> None:
        """How many lines an entry has; one where the window is low. What it leaves out is in its tooltip."""
        if lines != self.delegate.lines:
            self.delegate.lines = lines
            self.list.scheduleDelayedItemsLayout()
        self._fit()

    def _fit(self) -> None:
        self.setFixedHeight(look.px(HIGH if self.delegate.lines == CARD_LINES else LOW_HIGH))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """What can be done is never cut; the title goes first, since the cards say what they are."""
        super().resizeEvent(event)
        wanted = sum(row.sizeHint().width() for row in (self.title, *self.buttons))
        self.title.setVisible(self.width() - 2 * SIDE - self.head.count() * self.head.spacing() >= wanted)

    def chosen(self) -> TrailCard | None:
        row = self.list.currentIndex().row()
        return self.cards.cards[row] if 0 <= row < len(self.cards.cards) else None

    def say(self, words: str) -> None:
        self.said.setText(words)
