"""A scrolling area that lets what lies behind it show through."""

from __future__ import annotations

from PySide6.QtWidgets import QScrollArea, QWidget


class PlainScroll(QScrollArea):
    """As wide as its room, scrolling what is too high. Its viewport is made here: asking Qt for the one it makes by
    itself has every kind of widget made known to Python, which a start would wait for."""

    def __init__(self, inside: QWidget) -> None:
        super().__init__()
        port = QWidget()
        self.setViewport(port)
        self.setWidgetResizable(True)
        self.setWidget(inside)
        port.setAutoFillBackground(False)
        inside.setAutoFillBackground(False)
