"""One quiet line: each instrument's state, its last value and how old that is."""

from __future__ import annotations

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QHBoxLayout, QSizePolicy, QVBoxLayout, QWidget

from dextrum.app.bench.instruments_at_hand import InstrumentsAtHand
from dextrum.app.commands import BY_ID
from dextrum.desktop.frame.command_row import button_for
from dextrum.desktop.frame.elided_label import ElidedLabel
from dextrum.tongue import tr

REFRESH_MILLISECONDS = 250
NONE = tr("No instrument is connected: values are typed.")


class ConnectionStrip(QWidget):
    """One line that is always there. Signals: asked (a command's id)."""

    asked = Signal(str)

    def __init__(self, instruments: InstrumentsAtHand) -> None:
        super().__init__()
        self.instruments = instruments
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 1, 18, 1)
        column.setSpacing(0)
        self.line, self.trouble = ElidedLabel(NONE), ElidedLabel()
        self.line.setObjectName("quiet")
        self.line.setAccessibleName(tr("Instruments"))
        self.trouble.setObjectName("problem")
        self.search = button_for(BY_ID["instrument.find"], self.asked.emit)
        row = QHBoxLayout()
        for label in (self.line, self.trouble):
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            row.addWidget(label, 1)
        row.addWidget(self.search)
        column.addLayout(row)
        self.trouble.hide()
        self.timer = QTimer(self)
        self.timer.setInterval(REFRESH_MILLISECONDS)
        self.timer.timeout.connect(self.refresh)

    def begin(self) -> None:
        """Show what is connected from now on."""
        self.timer.start()
        self.refresh()

    def refresh(self) -> None:
        statuses = self.instruments.statuses()
        self.search.setVisible(not statuses)
        now = self.instruments.clock()
        for label, words in ((self.line, "  \u00b7  ".join(s.line(now) for s in statuses) or NONE),
                             (self.trouble, self.instruments.words())):
            if label.text() != words:
                label.setText(words)
        # In place of the states, so that the line stays one.
        self.trouble.setVisible(bool(self.trouble.text()))
        self.line.setVisible(not self.trouble.text())
