"""A field for a value: with nothing typed in it, undo and redo are the window's."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QEvent, QObject
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from dextrum.desktop import theme


class ShortcutsFirst(QObject):
    """Of the whole window: a command's keys go to the command, not to the text field that has the keyboard.

    It listens to the widget that has the keyboard only: a filter of the application would be called for every event.

    A line edit takes several of them for itself under X11 (Ctrl+U deletes the line, Ctrl+E goes to its end), so the
    same key did one thing in one place and another elsewhere. Undo and redo stay a field's own while it has text to
    undo.
    """

    def __init__(self, keys: Iterable[QKeySequence], parent: QObject) -> None:
        super().__init__(parent)
        self._keys = {key.toString() for key in keys}
        application = theme.application()
        application.focusChanged.connect(self._listen_to)
        self._listen_to(None, application.focusWidget())

    def _listen_to(self, before: QWidget | None, now: QWidget | None) -> None:
        if before is not None:
            before.removeEventFilter(self)
        if now is not None:
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() != QEvent.Type.ShortcutOverride or not isinstance(event, QKeyEvent):
            return False
        if QKeySequence(event.keyCombination()).toString() not in self._keys:
            return False
        if event.matches(QKeySequence.StandardKey.Undo) or event.matches(QKeySequence.StandardKey.Redo):
            return False
        event.ignore()
        return True


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

    def value(self) -> str:
        """What stands there; of a choice that is shown under another name, what it stands for."""
        text = self.currentText().strip()
        return str(self.itemData(self.findText(text)) or text)

    def event(self, event: QEvent) -> bool:
        """The same as a field does."""
        if event.type() == QEvent.Type.ShortcutOverride:
            field = self.lineEdit()
            if field is not None and _is_for_the_window(field, event):
                event.ignore()
                return False
        return super().event(event)
