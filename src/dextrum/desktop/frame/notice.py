"""Words that come and go over what is there, so that nothing below them moves."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QMouseEvent
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from dextrum.tongue import tr


class Notice(QLabel):
    """A message at a place of its own over its parent. A click puts it away; its text stays until another is said."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("notice")
        self.setWordWrap(True)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setToolTip(tr("A click puts this away."))
        self.hide()

    def say(self, words: str) -> None:
        self.setText(words)
        self.setVisible(bool(words))
        if words:
            self.raise_()

    def put(self, left: int, top: int, width: int) -> None:
        """Where it stands; as high as its words need."""
        self.setGeometry(left, top, width, max(self.heightForWidth(width), self.sizeHint().height() // 2))

    def mousePressEvent(self, _event: QMouseEvent) -> None:
        self.hide()


class NoticeStack(QWidget):
    """Questions, work that runs and problems, under one another, over the view. It is as high as what it shows."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(18, 0, 18, 0)
        self.column.setSpacing(2)

    def put(self, top: int, width: int) -> None:
        """As wide as the view, from `top` on."""
        shown = any(not child.isHidden() for child in self.findChildren(
            QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly))
        if not shown:
            self.resize(width, 0)
            self.lower()
            return
        self.setGeometry(0, top, width, max(self.column.heightForWidth(width), self.column.sizeHint().height()))
        self.raise_()
