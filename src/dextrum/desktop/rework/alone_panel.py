"""A part by itself before it is fitted: what the probes touch, what a good one reads, and what this one does."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.app.rework.part_alone import expected_words
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import clear_layout, quiet_label
from dextrum.desktop.theme import look
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.rework.alone import AloneReading

FIELD_PIXELS = 90


class AlonePanel(QFrame):
    """Enter goes to the next field, and from the last one records. Signals: taken (texts, in the order of what is
    read)."""

    taken = Signal(list)

    def __init__(self) -> None:
        super().__init__()
        self.head = QLabel()
        self.head.setObjectName("section")
        self.said = quiet_label()
        self.said.setTextFormat(Qt.TextFormat.PlainText)
        self.table = QWidget()
        self.grid = QGridLayout(self.table)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setColumnStretch(3, 1)
        self.grid.setHorizontalSpacing(18)
        self.fields: list[ValueField] = []
        self.record, self.close_it = QPushButton(tr("Record the part")), QPushButton(tr("Close"))
        self.record.clicked.connect(self._record)
        self.close_it.clicked.connect(self.hide)
        line = QHBoxLayout()
        for button in (self.record, self.close_it):
            line.addWidget(button)
        line.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        for part in (self.head, self.said, self.table):
            column.addWidget(part)
        column.addLayout(line)
        self.hide()

    def open_for(self, part: str, readings: tuple[AloneReading, ...]) -> None:
        """What is read of a part by itself."""
        self.head.setText(tr("{part} by itself, before it goes on", part=part))
        clear_layout(self.grid)
        self.fields = []
        if not readings:
            self.say(tr("The pack describes nothing of {part} that could be read by itself.", part=part))
        else:
            self.say(tr("From a donor: on the donor first, then by itself. Off the board, red on the first, black "
                        "on the second."))
        self.record.setEnabled(bool(readings))
        for k, reading in enumerate(readings):
            field = ValueField()
            field.setMaximumWidth(look.px(FIELD_PIXELS))
            field.setAccessibleName(tr("{between}, expected {expected_words}", between=reading.between,
                                       expected_words=expected_words(reading)))
            field.returnPressed.connect(lambda k=k: self._next(k))
            self.fields.append(field)
            between, expected = QLabel(reading.between), quiet_label(expected_words(reading))
            between.setTextFormat(Qt.TextFormat.PlainText)
            expected.setWordWrap(False)
            for column, widget in enumerate((between, field, expected)):
                self.grid.addWidget(widget, k, column)
        self.show()
        if self.fields:
            self.fields[0].setFocus()

    def say(self, words: str) -> None:
        self.said.setText(words)

    def _next(self, k: int) -> None:
        if k + 1 < len(self.fields):
            self.fields[k + 1].setFocus()
            self.fields[k + 1].selectAll()
        else:
            self._record()

    def _record(self) -> None:
        self.taken.emit([field.text() for field in self.fields])
