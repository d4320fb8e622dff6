"""A field for a value: with nothing typed in it, undo and redo are the window's."""

from __future__ import annotations

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QComboBox, QLineEdit


def _is_for_the_window(field: QLineEdit, event: QEvent) -> bool:
    """Undo or redo in an empty field: they strike out entries, not letters."""
    return event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and not field.text() and (
        event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo))


class ValueField(QLineEdit):
    def event(self, event: QEvent) -> bool:
        """An empty field leaves undo and redo to the window."""
        if _is_for_the_window(self, event):
            event.ignore()
            return False
        return super().event(event)


class ValueBox(QComboBox):
    """A box to type into, or to choose from; keys come to it before its field."""

    def event(self, event: QEvent) -> bool:
        """The same as a field does."""
        if event.type() == QEvent.Type.ShortcutOverride:
            field = self.lineEdit()
            if field is not None and _is_for_the_window(field, event):
                event.ignore()
                return False
        return super().event(event)
