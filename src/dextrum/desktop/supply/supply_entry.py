"""Volts and amps typed while watching a meter: one line, and letters for what changes between two values."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.app.reading.typed import parse_number
from dextrum.core.board import DrawState
from dextrum.core.trail import Supply
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import EntryRefusedError

POSITIONS = (("resting", "plug at rest"), ("pushed", "plug pushed"), ("hanging", "plug hanging"))
SWITCHED = (("", "on or off?"), ("off", "switched off"), ("on", "switched on"))


class VoltsField(ValueField):
    """Letters typed before any figure change the circumstances instead. Signal: letter."""

    letter = Signal(str)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        text = event.text().lower()
        if text and text in "abrphxs" and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.letter.emit(text)
            return
        super().keyPressEvent(event)


class EntryRow(QWidget):
    """Signals: typed (a dict of Supply's fields, minute None when left empty), trouble (words)."""

    typed = Signal(object)
    trouble = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(3)
        row = QHBoxLayout()
        self.orientation = QPushButton("A side up")
        self.orientation.setCheckable(True)
        self.orientation.setObjectName("choice")
        self.orientation.setAccessibleName("Orientation: A side up, pressed B side up")
        self.orientation.toggled.connect(lambda on: self.orientation.setText("B side up" if on else "A side up"))
        self.volts, self.amps, self.minute = VoltsField(), ValueField(), ValueField()
        for field, words, width in ((self.volts, "volts", 84), (self.amps, "amps", 84), (self.minute, "after", 84)):
            field.setPlaceholderText(words)
            field.setAccessibleName("Minutes after plugging in" if words == "after" else words.capitalize())
            field.setMaximumWidth(look.px(width))
        self.volts.letter.connect(self._letter)
        self.volts.returnPressed.connect(self.amps.setFocus)
        self.amps.returnPressed.connect(self.record)
        self.minute.returnPressed.connect(self.record)
        self.blinking = QPushButton("blinks")
        self.blinking.setCheckable(True)
        self.blinking.setObjectName("choice")
        self.blinking.setAccessibleName("blinks on and off")
        self.button = QPushButton("Record")
        self.button.clicked.connect(self.record)
        self.named = QComboBox()
        self.named.setAccessibleName("Or call it by its name")
        self.named.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.named.setMinimumContentsLength(7)
        self.named.activated.connect(self._called)
        for widget in (self.orientation, self.volts, QLabel("V"), self.amps, QLabel("A"), self.minute, QLabel("min"),
                       self.blinking, self.button):
            row.addWidget(widget)
        row.addStretch(1)
        column.addLayout(row)
        row = QHBoxLayout()
        self.position, self.switched = QComboBox(), QComboBox()
        self.position.setAccessibleName("Plug")
        self.switched.setAccessibleName("Unit switched on or off")
        for box, choices in ((self.position, POSITIONS), (self.switched, SWITCHED)):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(7)
            for value, words in choices:
                box.addItem(words, value)
        self.hint = QLabel("keys: a b \u00b7 r p h \u00b7 s \u00b7 x")
        self.hint.setObjectName("quiet")
        self.hint.setToolTip("In the volts: a, b side up; r, p, h plug rests, pushed, hangs; s switched on or off; "
                             "x blinks")
        row.addWidget(self.position, 1)
        row.addWidget(self.switched, 1)
        row.addWidget(self.named, 1)
        row.addWidget(self.hint)
        column.addLayout(row)

    def offer_states(self, states: Sequence[DrawState]) -> None:
        """The names of the profile's states, for a draw that is called instead of typed."""
        self.named.clear()
        self.named.addItem("or by name", "")
        for state in states:
            self.named.addItem(state.words, state.id)
        self.named.setVisible(bool(states))
        self.hint.setVisible(look.scale <= LARGE_TEXT)

    def clear(self) -> None:
        for field in (self.volts, self.amps, self.minute):
            field.clear()
        self.blinking.setChecked(False)
        self.orientation.setChecked(False)
        self.position.setCurrentIndex(0)
        self.switched.setCurrentIndex(0)

    def _letter(self, letter: str) -> None:
        if letter in "ab":
            self.orientation.setChecked(letter == "b")
        elif letter == "x":
            self.blinking.toggle()
        elif letter == "s":
            self.switched.setCurrentIndex((self.switched.currentIndex() + 1) % len(SWITCHED))
        else:
            self.position.setCurrentIndex("rph".index(letter))

    @property
    def side(self) -> str:
        return "b" if self.orientation.isChecked() else "a"

    def circumstances(self) -> dict[str, str]:
        """orientation, switched and position, as they are chosen."""
        return {"orientation": self.side, "switched": str(self.switched.currentData()),
                "position": str(self.position.currentData())}

    def _called(self, index: int) -> None:
        state = self.named.itemData(index)
        if state:
            self.typed.emit({**self.circumstances(), "volts": 0.0, "amps": 0.0, "minute": None, "named": state})
        self.named.setCurrentIndex(0)

    def record(self) -> None:
        """Offer what is typed; what can't be read is told and stays in its field."""
        try:
            volts = parse_number(self.volts.text(), 0.0, 50.0, "V")
            amps = parse_number(self.amps.text(), 0.0, 10.0, "A")
            minute = parse_number(self.minute.text(), 0.0, 100_000.0, "min") if self.minute.text().strip() else None
        except EntryRefusedError as problem:
            self.trouble.emit(f"{problem.happened} {problem.kept}")
            return
        self.trouble.emit("")
        self.typed.emit({**self.circumstances(), "volts": volts, "amps": amps, "minute": minute,
                         "pattern": "blinking" if self.blinking.isChecked() else "steady"})

    def recorded(self, turn: bool) -> None:
        """Ready for the next value; turn: of the other way up."""
        self.volts.clear()
        self.amps.clear()
        self.minute.clear()
        if turn:
            self.orientation.setChecked(not self.orientation.isChecked())
        self.volts.setFocus()


def typed_supply(fields: dict[str, object], minute: float, proved: bool, supply_class: str,
                 gear: tuple[object, ...]) -> Supply:
    """The payload. Raises ValueError."""
    kept = {k: v for k, v in fields.items() if k != "minute"}
    return Supply(**kept, minute=minute, supply_proved=proved, supply_class=supply_class, gear=gear)  # type: ignore[arg-type]
