"""A scrolling area that lets what lies behind it show through."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QWidget


class PlainScroll(QScrollArea):
    """As wide as its room, scrolling what is too high; the keyboard goes past it. Its viewport is made here: asking Qt
    for the one it makes by itself has every kind of widget made known to Python, which a start would wait for.

    Put it where it belongs before what is inside goes in: Qt dresses all that a widget holds anew each time it moves.
    """

    def __init__(self) -> None:
        super().__init__()
        self._port = QWidget()
        self.setViewport(self._port)
        self.setWidgetResizable(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._port.setAutoFillBackground(False)

    def hold(self, inside: QWidget) -> None:
        self.setWidget(inside)
        self._port.setAutoFillBackground(False)
        inside.setAutoFillBackground(False)
