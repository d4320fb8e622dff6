"""All commands by typing a few letters; each is shown with its shortcut."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHeaderView, QLineEdit, QTreeWidget, QTreeWidgetItem, QVBoxLayout, QWidget

from dextrum.app.commands import matching
from dextrum.desktop.theme import look


class CommandPalette(QFrame):
    def __init__(self, parent: QWidget, run: Callable[[str], None]) -> None:
        super().__init__(parent)
        self.setObjectName("palette")
        self._over = parent
        self._run = run
        self._has_job = False
        self._back_to: QWidget | None = None
        self.field = QLineEdit()
        self.field.setPlaceholderText("What to do")
        self.field.setAccessibleName("Command")
        self.list = QTreeWidget()
        self.list.setColumnCount(2)
        self.list.setHeaderHidden(True)
        self.list.setRootIsDecorated(False)
        self.list.header().setStretchLastSection(False)
        self.list.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.list.header().setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.list.setAccessibleName("Commands")
        self.list.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        column = QVBoxLayout(self)
        column.addWidget(self.field)
        column.addWidget(self.list)
        self.field.textChanged.connect(self._fill)
        self.field.returnPressed.connect(self._go)
        self.list.itemClicked.connect(lambda _item, _column: self._go())
        self.field.installEventFilter(self)
        self.hide()

    def open(self, has_job: bool, back_to: QWidget | None) -> None:
        self._has_job = has_job
        self._back_to = back_to
        self.field.clear()
        self._fill("")
        room = self._over.size()
        width, height = look.px(460), look.px(420)
        self.setGeometry((room.width() - width) // 2, look.px(70), width, min(height, room.height() - 100))
        self.show()
        self.raise_()
        self.field.setFocus()

    def _fill(self, text: str) -> None:
        self.list.clear()
        for command in matching(text, self._has_job):
            item = QTreeWidgetItem([command.title, command.shortcut])
            item.setData(0, Qt.ItemDataRole.UserRole, command.id)
            self.list.addTopLevelItem(item)
        self._choose(0)

    def _choose(self, row: int) -> None:
        item = self.list.topLevelItem(max(0, min(self.list.topLevelItemCount() - 1, row)))
        if item is not None:
            self.list.setCurrentItem(item)

    def _go(self) -> None:
        item = self.list.currentItem()
        self.close_palette()
        if item is not None:
            self._run(str(item.data(0, Qt.ItemDataRole.UserRole)))

    def close_palette(self) -> None:
        self.hide()
        if self._back_to is not None:
            self._back_to.setFocus()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
                by = 1 if event.key() == Qt.Key.Key_Down else -1
                self._choose(self.list.currentIndex().row() + by)
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.close_palette()
                return True
        return super().eventFilter(watched, event)
