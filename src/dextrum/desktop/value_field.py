"""A field for a value: with nothing typed in it, undo and redo are the window's."""

from __future__ import annotations

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit


class ValueField(QLineEdit):
    def event(self, event: QEvent) -> bool:
        """An empty field leaves undo and redo to the window: they strike out entries, not letters."""
        if event.type() == QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent) and not self.text() and (
                event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo)):
            event.ignore()
            return False
        return super().event(event)
