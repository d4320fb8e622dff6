"""Volts and amps typed while watching a meter: one line, and letters for what changes between two values."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QFocusEvent, QKeyEvent, QMouseEvent
from PySide6.QtWidgets import QComboBox, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.app.job.trail_words import POSITION_WORDS
from dextrum.app.reading.typed import parse_number, volts_and_amps
from dextrum.core.board import DrawState
from dextrum.core.trail import Supply
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.supply.plug_button import PlugButton
from dextrum.desktop.theme import look
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

POSITIONS = tuple(POSITION_WORDS.items())
SWITCHED = (("", tr("on or off?")), ("off", tr("is off")), ("on", tr("is on")))


class DrawField(ValueField):
    """Volts or amps. Letters typed before any figure change the circumstances instead. Signal: letter.

    The value before may still stand in it. A press of the mouse that comes into the field chooses all of it, as the
    tab key does, so that what is typed takes its place.
    """

    letter = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self._pressed_into = False

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        self._pressed_into = event.reason() == Qt.FocusReason.MouseFocusReason

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        super().mouseReleaseEvent(event)
        if self._pressed_into and not self.hasSelectedText():
            self.selectAll()
        self._pressed_into = False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        text = event.text().lower()
        begun = bool(self.text())
        if text and text in "abrphxs" and not begun and not event.modifiers() & Qt.KeyboardModifier.ControlModifier:
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
        self.orientation = PlugButton()
        self.volts, self.amps, self.minute = DrawField(), DrawField(), ValueField()
        for field, name, width in ((self.volts, tr("Volts"), 96), (self.amps, tr("Amps"), 62),
                                   (self.minute, tr("Minutes after plugging in"), 54)):
            field.setAccessibleName(name)
            field.setMaximumWidth(look.px(width))
        self.minute.setPlaceholderText(tr("now"))
        self.volts.setToolTip(tr("Volts; or volts and amps at once, such as 5.1 0.36, then Enter"))
        for field in (self.volts, self.amps):
            field.letter.connect(self._letter)
            field.returnPressed.connect(lambda one=field: self._entered(one))
        self.minute.returnPressed.connect(self.record)
        self.blinking = QPushButton(tr("steady"))
        self.blinking.setCheckable(True)
        self.blinking.setObjectName("choice")
        self.blinking.setAccessibleName(tr("blinks on and off"))
        self.blinking.setToolTip(tr("Whether the draw is steady or comes and goes · x"))
        self.blinking.toggled.connect(lambda on: self.blinking.setText(tr("blinking") if on else tr("steady")))
        self.button = QPushButton(tr("Record"))
        self.button.setToolTip(tr("Enter in the amps records too"))
        self.button.clicked.connect(self.record)
        self.position, self.switched, self.named = QComboBox(), QComboBox(), QComboBox()
        self.position.setAccessibleName(tr("Plug"))
        self.position.setToolTip(tr("How the plug is held · r, p, h"))
        self.switched.setAccessibleName(tr("Unit switched on or off"))
        self.switched.setToolTip(tr("Whether the unit is switched on · s"))
        self.named.setAccessibleName(tr("Or call it by its name"))
        self.named.setToolTip(tr("A draw that is seen and not read in figures"))
        self.named.activated.connect(self._called)
        for box in (self.position, self.switched, self.named):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(12 if box is self.named else 8)
        for box, choices in ((self.position, POSITIONS), (self.switched, SWITCHED)):
            for value, words in choices:
                box.addItem(words, value)
        row = FlowLayout()
        sentence: tuple[QWidget | str, ...] = (self.orientation, tr("it draws"), self.volts, "V", self.amps, "A",
                                               self.blinking, tr("after"), self.minute, "min", self.button)
        for part in sentence:
            row.addWidget(QLabel(part) if isinstance(part, str) else part)
        column.addLayout(row)
        row = FlowLayout()
        self.or_words = QLabel(tr("Or it is"))
        for widget in (
            QLabel(tr("The plug is")),
            self.position,
            QLabel(tr("and the unit")),
            self.switched,
            self.or_words,
            self.named,
        ):
            row.addWidget(widget)
        column.addLayout(row)

    def offer_states(self, states: Sequence[DrawState]) -> None:
        """The names of the profile's states, for a draw that is called instead of typed."""
        self.named.clear()
        self.named.addItem(tr("a known state…"), "")
        for state in states:
            self.named.addItem(state.words, state.id)
        self.named.setVisible(bool(states))
        self.or_words.setVisible(bool(states))

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

    def _entered(self, field: DrawField) -> None:
        """Enter in the volts goes on to the amps, in the amps it records; both values typed at once record too."""
        both = volts_and_amps(field.text())
        if both is not None:
            self.volts.setText(both[0])
            self.amps.setText(both[1])
            self.record()
        elif field is self.volts:
            self.amps.setFocus()
            self.amps.selectAll()
        else:
            self.record()

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
                         "pattern": "blinking" if self.blinking.isChecked() else tr("steady")})

    def recorded(self, turn: bool) -> None:
        """Ready for the next value. turn: of the other way up, where the volts are others too; else they are kept, and
        the next amps are typed alone."""
        self.amps.clear()
        self.minute.clear()
        if turn:
            self.orientation.setChecked(not self.orientation.isChecked())
            self.volts.clear()
            self.volts.setFocus()
        else:
            self.amps.setFocus()


def typed_supply(fields: dict[str, object], minute: float, proved: bool, supply_class: str,
                 gear: tuple[object, ...]) -> Supply:
    """The payload. Raises ValueError."""
    kept = {k: v for k, v in fields.items() if k != "minute"}
    return Supply(**kept, minute=minute, supply_proved=proved, supply_class=supply_class, gear=gear)  # type: ignore[arg-type]
