"""Commands where they are wanted: a row of plain buttons, and menus. Both say what each does, and its keys.

A row never widens what it stands in: what doesn't fit is in the menu at its end.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtCore import QPoint, QSize, Qt, Signal
from PySide6.QtGui import QAction, QResizeEvent
from PySide6.QtWidgets import QHBoxLayout, QMenu, QPushButton, QSizePolicy, QWidget

from dextrum.app.command import Command
from dextrum.app.commands import BY_ID
from dextrum.tongue import tr

MORE = tr("More…")
GAP = 4


def hint_of(command: Command) -> str:
    """What it does, then its keys."""
    return " · ".join(part for part in (command.what, command.keys) if part)


def button_for(command: Command, run: Callable[[str], None]) -> QPushButton:
    button = QPushButton(command.label)
    button.setObjectName("tool")
    button.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
    button.setToolTip(hint_of(command))
    button.setAccessibleName(command.title)
    button.setAccessibleDescription(hint_of(command))
    button.clicked.connect(lambda _checked=False: run(command.id))
    return button


def menu_of(ids: Iterable[str], run: Callable[[str], None], why_not: Callable[[Command], str],
            parent: QWidget) -> QMenu:
    """What can't be run now stands in it greyed, with the reason."""
    menu = QMenu(parent)
    menu.setToolTipsVisible(True)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    for name in ids:
        command = BY_ID[name]
        reason = why_not(command)
        keys = command.keys
        beside = f"  ({reason.partition(':')[0].rstrip('.')})" if reason else f"\t{keys}" if keys else ""
        action = QAction(command.title + beside, menu)
        action.setToolTip(reason or hint_of(command))
        action.setEnabled(not reason)
        action.triggered.connect(lambda _checked=False, one=name: run(one))
        menu.addAction(action)
    return menu


def drop_down(button: QWidget, menu: QMenu) -> None:
    menu.popup(button.mapToGlobal(QPoint(0, button.height())))


class CommandRow(QWidget):
    """Signals: asked (a command's id)."""

    asked = Signal(str)

    def __init__(self, ids: Iterable[str], why_not: Callable[[Command], str] = lambda _command: "") -> None:
        super().__init__()
        self.ids = tuple(ids)
        self._why_not = why_not
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(GAP)
        self.buttons = {name: button_for(BY_ID[name], self.asked.emit) for name in self.ids}
        for button in self.buttons.values():
            row.addWidget(button)
        self.more = QPushButton(MORE)
        self.more.setObjectName("tool")
        self.more.setAccessibleName(tr("More commands of this view"))
        self.more.clicked.connect(self._drop)
        row.addWidget(self.more)
        row.addStretch(1)
        for button in (*self.buttons.values(), self.more):
            # A click leaves the keyboard where it is: what is typed next belongs to the point that was chosen.
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)

    def sizeHint(self) -> QSize:
        return QSize(0, self.more.sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def folded(self) -> tuple[str, ...]:
        """Those in the menu at the end."""
        return tuple(name for name, button in self.buttons.items() if button.isHidden())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.fold()

    def fold(self) -> None:
        """Show as many as fit; the rest goes into the menu."""
        widths = [button.sizeHint().width() + GAP for button in self.buttons.values()]
        room, more = self.width(), self.more.sizeHint().width() + GAP
        fitting = len(widths)
        if sum(widths) > room:
            fitting, used = 0, more
            while fitting < len(widths) and used + widths[fitting] <= room:
                used += widths[fitting]
                fitting += 1
        for place, button in enumerate(self.buttons.values()):
            button.setVisible(place < fitting)
        self.more.setVisible(fitting < len(widths) and more <= room)

    def _drop(self) -> None:
        drop_down(self.more, menu_of(self.folded(), self.asked.emit, self._why_not, self))
