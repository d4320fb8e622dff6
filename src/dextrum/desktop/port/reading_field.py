"""The one place a reading is typed: Enter records and goes on, `o` records OL, arrows move."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget

from dextrum.desktop.frame.value_field import ValueField
from dextrum.tongue import tr

OPEN_KEYS = (Qt.Key.Key_O, Qt.Key.Key_Plus)
"""O, and for one hand on a number pad its plus."""
_MOVES = {Qt.Key.Key_Up: (0, -1), Qt.Key.Key_Down: (0, 1)}


class ReadingField(ValueField):
    """Signals: entered (text), moved (columns, rows), cleared."""

    entered = Signal(str)
    moved = Signal(int, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("reading")
        self.setAccessibleName(tr("Reading"))
        self.setMaxLength(24)
        self._after_open = False

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key = event.key()
        if key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            after_open, self._after_open = self._after_open, False
            if self.text().strip():
                self.entered.emit(self.text())
            elif not after_open:
                self.moved.emit(0, 1)
        elif key in OPEN_KEYS and not self.text() and not event.modifiers() & (
                Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            self._after_open = True  # recorded already: the Enter that habit adds skips no point
            self.entered.emit("o")
        elif key == Qt.Key.Key_L and not self.text():
            pass  # the second letter of a typed 'OL', whose first has already recorded it
        elif key in _MOVES and not event.modifiers():
            self.moved.emit(*_MOVES[Qt.Key(key)])
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right) and not self.text():
            self.moved.emit(-1 if key == Qt.Key.Key_Left else 1, 0)
        elif key == Qt.Key.Key_Escape:
            self.clear()
        else:
            self._after_open = False
            super().keyPressEvent(event)
