"""All commands: in the order of work, or by typing a few letters. What can't be done now says why."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QBrush, QKeyEvent
from PySide6.QtWidgets import QFrame, QHeaderView, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from dextrum.app.command import Command, InHand
from dextrum.app.command_search import matching
from dextrum.app.commands import BY_ID, GROUPS
from dextrum.desktop.theme import look
from dextrum.tongue import tr

ID = Qt.ItemDataRole.UserRole
MOST_RECENT = 5
PAGE = 8
WIDTH, LEAST_MARGIN = 900, 24
MOST_FOR_TITLES = 0.42
"""Of the palette's width."""


class CommandPalette(QFrame):
    """run: a command by id. now: what is in hand. recent: ids run last, newest first."""

    def __init__(self, parent: QWidget, run: Callable[[str], None], now: Callable[[], InHand],
                 recent: Callable[[], Iterable[str]]) -> None:
        super().__init__(parent)
        self.setObjectName("palette")
        self._over = parent
        self._run = run
        self._now = now
        self._recent = recent
        self._moment = InHand()
        self._back_to: QWidget | None = None
        self.field = QLineEdit()
        self.field.setPlaceholderText(tr("What to do: type a few letters"))
        self.field.setAccessibleName(tr("Command"))
        self.list = QTreeWidget()
        self.list.setColumnCount(3)
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        header = self.list.header()
        header.setStretchLastSection(False)
        for column, mode in ((0, QHeaderView.ResizeMode.Interactive), (1, QHeaderView.ResizeMode.Stretch),
                             (2, QHeaderView.ResizeMode.ResizeToContents)):
            header.setSectionResizeMode(column, mode)
        self.list.setAccessibleName(tr("Commands"))
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column_box = QVBoxLayout(self)
        column_box.addWidget(self.field)
        column_box.addWidget(self.list)
        self.field.textChanged.connect(self._fill)
        self.field.returnPressed.connect(self._go)
        self.list.itemClicked.connect(self._clicked)
        self.field.installEventFilter(self)
        self.hide()

    def open(self, back_to: QWidget | None) -> None:
        self._moment = self._now()
        self._back_to = back_to
        self.field.clear()
        self._fill("")
        room = self._over.size()
        width = min(look.px(WIDTH), room.width() - 2 * LEAST_MARGIN)
        top = min(look.px(64), LEAST_MARGIN * 2)
        self.setGeometry((room.width() - width) // 2, top, width, min(look.px(640), room.height() - top - LEAST_MARGIN))
        # As wide as the longest title asks for, while all stand in the list: the rest is for what each does.
        self.list.setColumnWidth(0, min(self.list.sizeHintForColumn(0), round(width * MOST_FOR_TITLES)))
        self.show()
        self.raise_()
        self.field.setFocus()

    def _fill(self, text: str) -> None:
        self.list.clear()
        if text.strip():
            for command in matching(text):
                self._add(command)
        else:
            recent = [BY_ID[name] for name in self._recent() if name in BY_ID][:MOST_RECENT]
            heads = []
            for group, commands in (((tr("Used last"), recent),) if recent else ()) + GROUPS:
                heads.append(self._head(group))
                for command in commands:
                    if command.id != "palette":
                        self._add(command)
            for head in heads:
                # Asked for while the list still grows, this lays all of it out each time.
                head.setFirstColumnSpanned(True)
        self._choose(0)

    def _head(self, words: str) -> QTreeWidgetItem:
        item = QTreeWidgetItem([words])
        item.setFlags(Qt.ItemFlag.NoItemFlags)
        item.setFont(0, look.font(12))
        item.setForeground(0, QBrush(look.colour("quiet")))
        self.list.addTopLevelItem(item)
        return item

    def _add(self, command: Command) -> None:
        reason = command.why_not(self._moment)
        item = QTreeWidgetItem([command.title, reason or command.what, command.keys])
        item.setData(0, ID, command.id)
        for column in range(3):
            item.setForeground(column, QBrush(look.colour("quiet" if reason or column else "ink")))
            item.setToolTip(column, reason or command.what)
        self.list.addTopLevelItem(item)

    def _choosable(self) -> list[QTreeWidgetItem]:
        items = (self.list.topLevelItem(row) for row in range(self.list.topLevelItemCount()))
        return [item for item in items if item is not None and item.data(0, ID) is not None]

    def _choose(self, place: int) -> None:
        """place: among those that can be chosen, headings left out."""
        items = self._choosable()
        if items:
            item = items[max(0, min(len(items) - 1, place))]
            self.list.setCurrentItem(item)
            self.list.scrollToItem(item)
            if place <= 0:
                self.list.scrollToTop()

    def shown(self) -> tuple[str, ...]:
        """Ids in the order in which they stand."""
        return tuple(str(item.data(0, ID)) for item in self._choosable())

    def _clicked(self, item: QTreeWidgetItem, _column: int) -> None:
        if item.data(0, ID) is not None:
            self._go()

    def _go(self) -> None:
        item = self.list.currentItem()
        self.close_palette()
        if item is not None and item.data(0, ID) is not None:
            self._run(str(item.data(0, ID)))

    def close_palette(self) -> None:
        self.hide()
        if self._back_to is not None:
            self._back_to.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1, Qt.Key.Key_PageDown: PAGE, Qt.Key.Key_PageUp: -PAGE}
            by = steps.get(Qt.Key(event.key()))
            if by is not None:
                items, here = self._choosable(), self.list.currentItem()
                self._choose((items.index(here) if here in items else 0) + by)
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.close_palette()
                return True
        return super().eventFilter(watched, event)
