"""The keys of the view in hand, laid over it: those of the view itself, its commands', and those that go everywhere."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.app.commands import BY_ID
from dextrum.desktop.frame.view import JobView
from dextrum.desktop.theme import look
from dextrum.tongue import tr

EVERYWHERE = ("step.go", "step.why", "trail.strike", "trail.back", "job.new", "job.next", "job.search", "gate.pass",
              "cell.unplugged", "safety.danger", "capture.walk", "look.larger", "palette")
WIDTH, LEAST_MARGIN = 760, 16


def keys_of(view: JobView | None) -> tuple[tuple[str, str], ...]:
    """Keys and what they do: the view's own first, then its commands'."""
    if view is None:
        return ()
    return (*view.keys, *((BY_ID[one].keys, BY_ID[one].title) for one in view.commands
                          if BY_ID[one].shortcut))


def keys_everywhere() -> tuple[tuple[str, str], ...]:
    return ((tr("Alt+1 to Alt+9"), tr("the views, in the order of work; Alt+T and Alt+0 stand among them")),
            ("Tab", tr("from one thing to the next")),
            *((BY_ID[one].keys, BY_ID[one].title) for one in EVERYWHERE))


class KeysOverlay(QFrame):
    """Any key or a click takes it away. Signals: read (the guide is wanted)."""

    read = Signal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("palette")
        self.setAccessibleName(tr("Keys of this view"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._over = parent
        self._back_to: QWidget | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 12, 18, 12)
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(14)
        self.grid.setVerticalSpacing(3)
        column.addLayout(self.grid)
        self.guide = QPushButton(tr("Read about this view · F1"))
        self.guide.setObjectName("tool")
        self.guide.clicked.connect(self._read)
        column.addWidget(self.guide, 0, Qt.AlignmentFlag.AlignRight)
        self.hide()

    def open(self, view: JobView | None, title: str, back_to: QWidget | None) -> None:
        """title: of the view."""
        self._back_to = back_to
        while self.grid.count():
            item = self.grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.deleteLater()
        own = keys_of(view)
        if own:
            self._fill(0, tr("In {title}", title=title), own)
        self._fill(2 if own else 0, tr("Everywhere"), keys_everywhere())
        self.grid.setColumnStretch(1, 1)
        self.grid.setColumnStretch(3, 1)
        room = self._over.size()
        width = min(look.px(WIDTH), room.width() - 2 * LEAST_MARGIN)
        self.setFixedWidth(width)
        self.adjustSize()
        self.move((room.width() - width) // 2, max(LEAST_MARGIN, (room.height() - self.height()) // 3))
        self.show()
        self.raise_()
        self.setFocus()

    def _fill(self, column: int, head: str, rows: Iterable[tuple[str, str]]) -> None:
        title = QLabel(head)
        title.setObjectName("section")
        self.grid.addWidget(title, 0, column, 1, 2)
        for place, (keys, words) in enumerate(rows, start=1):
            key = QLabel(keys)
            key.setObjectName("key")
            what = QLabel(words)
            what.setWordWrap(True)
            self.grid.addWidget(key, place, column, Qt.AlignmentFlag.AlignTop)
            self.grid.addWidget(what, place, column + 1, Qt.AlignmentFlag.AlignTop)

    def as_text(self) -> str:
        labels = [item.widget() for place in range(self.grid.count()) if (item := self.grid.itemAt(place)) is not None]
        return "\n".join(label.text() for label in labels if isinstance(label, QLabel))

    def leave(self) -> None:
        self.hide()
        if self._back_to is not None:
            self._back_to.setFocus()

    def _read(self) -> None:
        self.leave()
        self.read.emit()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F1:
            self._read()
        elif event.key() not in (Qt.Key.Key_Tab, Qt.Key.Key_Shift, Qt.Key.Key_Control, Qt.Key.Key_Alt):
            self.leave()

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.leave()
