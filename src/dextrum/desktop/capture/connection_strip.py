"""One quiet line: each instrument's state, its last value and how old that is. Hidden while there is none."""

from __future__ import annotations

from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QLabel, QSizePolicy, QVBoxLayout, QWidget

from dextrum.app.bench.instruments_at_hand import InstrumentsAtHand

REFRESH_MILLISECONDS = 250


class ConnectionStrip(QWidget):
    def __init__(self, instruments: InstrumentsAtHand) -> None:
        super().__init__()
        self.instruments = instruments
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 1, 18, 1)
        column.setSpacing(0)
        self.line, self.trouble = QLabel(), QLabel()
        self.line.setObjectName("quiet")
        self.line.setAccessibleName("Instruments")
        self.trouble.setObjectName("problem")
        for label in (self.line, self.trouble):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            column.addWidget(label)
        self.timer = QTimer(self)
        self.timer.setInterval(REFRESH_MILLISECONDS)
        self.timer.timeout.connect(self.refresh)
        self.hide()

    def begin(self) -> None:
        """Show what is connected from now on."""
        self.timer.start()
        self.refresh()

    def refresh(self) -> None:
        statuses = self.instruments.statuses()
        self.setVisible(bool(statuses))
        now = self.instruments.clock()
        for label, words in ((self.line, "  \u00b7  ".join(s.line(now) for s in statuses)),
                             (self.trouble, self.instruments.words())):
            if label.text() != words:
                label.setText(words)
                label.setToolTip(words)
        self.trouble.setVisible(bool(self.trouble.text()))
