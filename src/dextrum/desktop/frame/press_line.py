"""A line of text that is a button: it wraps, is reached by Tab, and shows the keyboard and the mouse."""

from __future__ import annotations

from PySide6.QtCore import QRect, QSize, Qt
from PySide6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QSizePolicy, QWidget

from dextrum.desktop.theme import fill, look

WRAPPED = int(Qt.TextFlag.TextWordWrap) | int(Qt.AlignmentFlag.AlignLeft) | int(Qt.AlignmentFlag.AlignVCenter)


class PressLine(QAbstractButton):
    """role: of its colour; on: role of its ground, empty for none; strong: in bolder type."""

    def __init__(self, text: str = "", role: str = "ink", strong: bool = False, on: str = "",
                 parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.role, self.strong, self.on = role, strong, on
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        policy = QSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        policy.setHeightForWidth(True)
        self.setSizePolicy(policy)
        self.setText(text)

    def setText(self, text: str) -> None:
        super().setText(text)
        self.setAccessibleName(text)
        self.updateGeometry()

    def _font(self) -> QFont:
        return look.font(13, QFont.Weight.DemiBold if self.strong else QFont.Weight.Normal)

    def _margin(self) -> int:
        return look.px(4)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        self.setFont(self._font())
        room = QRect(0, 0, max(1, width - 2 * self._margin()), 10_000)
        return self.fontMetrics().boundingRect(room, WRAPPED, self.text()).height() + self._margin()

    def sizeHint(self) -> QSize:
        width = self.width() if self.width() > 60 else look.px(240)
        return QSize(look.px(120), self.heightForWidth(width))

    def minimumSizeHint(self) -> QSize:
        return QSize(look.px(60), self.sizeHint().height())

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        if self.underMouse() and self.isEnabled():
            fill(painter, self.rect(), look.colour("lit"))
        elif self.on:
            fill(painter, self.rect(), look.colour(self.on))
        painter.setFont(self._font())
        painter.setPen(look.colour(self.role if self.isEnabled() else "quiet"))
        painter.drawText(self.rect().adjusted(self._margin(), 0, -self._margin(), 0), WRAPPED, self.text())
        if self.hasFocus():
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.drawRect(self.rect().adjusted(1, 1, -1, -1))
