"""The plug as it is held: which side is up. Pressed, it turns over."""

from __future__ import annotations

from PySide6.QtCore import QRectF, QSize, Qt
from PySide6.QtGui import QFont, QFontMetrics, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractButton, QSizePolicy

from dextrum.desktop.theme import look
from dextrum.tongue import tr

WIDTH, HEIGHT = 132, 40
PLUG_WIDTH = 64
"""The plug itself, and the room round the words."""
CONTACTS = 6


class PlugButton(QAbstractButton):
    """Checked: B side up. The side that is up is drawn light with its letter, the other one hangs below, dark."""

    def __init__(self) -> None:
        super().__init__()
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setSizePolicy(QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Fixed)
        self.setToolTip(tr("Which side of the plug is up: press to turn it over · a, b"))
        self.toggled.connect(self._name)
        self._name(False)

    def _name(self, on: bool) -> None:
        self.setText(tr("B side up") if on else tr("A side up"))
        self.setAccessibleName(tr("Orientation: A side up, pressed B side up"))
        self.setAccessibleDescription(self.text())
        self.update()

    def sizeHint(self) -> QSize:
        words = QFontMetrics(look.font(14, QFont.Weight.DemiBold)).horizontalAdvance(self.text())
        return QSize(max(look.px(WIDTH), look.px(PLUG_WIDTH) + words), look.px(HEIGHT))

    def minimumSizeHint(self) -> QSize:
        return self.sizeHint()

    def paintEvent(self, _event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        whole = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        if self.underMouse():
            painter.fillRect(self.rect(), look.colour("lit"))
        shell = QRectF(whole.left() + look.px(3), whole.top() + look.px(5), look.px(44), whole.height() - look.px(10))
        painter.setPen(QPen(look.colour("ink"), 1.6))
        painter.setBrush(look.colour("panel"))
        painter.drawRoundedRect(shell, shell.height() / 2, shell.height() / 2)
        up = "B" if self.isChecked() else "A"
        middle = shell.center().y()
        step = (shell.width() - look.px(16)) / CONTACTS
        for row, ink in ((-1, "ink"), (1, "rule")):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(look.colour(ink))
            for place in range(CONTACTS):
                x = shell.left() + look.px(8) + place * step
                painter.drawRect(QRectF(x, middle + (-look.px(6) if row < 0 else look.px(3)), step * 0.55,
                                        look.px(3)))
        painter.setPen(look.colour("ink"))
        painter.setFont(look.font(14, QFont.Weight.DemiBold))
        painter.drawText(QRectF(shell.right() + look.px(6), whole.top(), whole.width(), whole.height()),
                         int(Qt.AlignmentFlag.AlignVCenter), tr("{up} side up", up=up))
        if self.hasFocus():
            painter.setPen(QPen(look.colour("ink"), 2))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(whole, 4, 4)
