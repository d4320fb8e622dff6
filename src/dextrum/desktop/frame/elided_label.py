"""A label that never widens what it stands in: what doesn't fit ends in an ellipsis, and stands whole in the tool
tip."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QLabel, QSizePolicy

LEAST_LETTERS = 6


class ElidedLabel(QLabel):
    def __init__(self, text: str = "") -> None:
        super().__init__(text)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Preferred)

    def setText(self, text: str) -> None:
        super().setText(" ".join(text.split()))
        self.setToolTip(text)

    def minimumSizeHint(self) -> QSize:
        return QSize(self.fontMetrics().averageCharWidth() * LEAST_LETTERS, super().minimumSizeHint().height())

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        shown = self.fontMetrics().elidedText(self.text(), Qt.TextElideMode.ElideRight, self.width())
        painter.setPen(self.palette().color(self.foregroundRole()))
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
