"""A scanner types a label's code wherever the keyboard is: the keys are held until it is plain what they are.

Held for a moment only: a person who types the first letter of the prefix sees it a twentieth of a second later.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QCoreApplication, QEvent, QObject, Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QWidget
from shiboken6 import isValid

from dextrum.app.handover.label import PREFIX, id_begins
from dextrum.desktop import theme
from dextrum.desktop.frame.keys_first import key_pressed
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

HELD_MILLISECONDS = 50
"""Between two keys of a scanner there are a few milliseconds; the quickest typists need about seventy."""
MOST_KEYS = 20


class ScannedLabel(QObject):
    """Listens to the widget that has the keyboard. found: is given the beginning of the id of the job that was
    scanned."""

    def __init__(self, found: Callable[[str], None], parent: QObject) -> None:
        super().__init__(parent)
        self._found = found
        self._held: list[tuple[QObject, QKeyEvent]] = []
        self._replaying = False
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(HELD_MILLISECONDS)
        self._timer.timeout.connect(self._let_go)
        application = theme.application()
        application.focusChanged.connect(self._listen_to)
        self._listen_to(None, application.focusWidget())

    def _listen_to(self, before: QWidget | None, now: QWidget | None) -> None:
        self._let_go()
        if before is not None:
            before.removeEventFilter(self)
        if now is not None and now.window() is self.parent():
            now.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if self._replaying or event.type() not in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease) \
                or not isinstance(event, QKeyEvent) or not watched.isWidgetType():
            return False
        if event.type() == QEvent.Type.KeyRelease:
            return bool(self._held)
        key_pressed()
        return self._pressed(watched, event)

    def _pressed(self, watched: QObject, event: QKeyEvent) -> bool:
        """Whether the key is held back."""
        plain = not event.modifiers() & ~(Qt.KeyboardModifier.ShiftModifier | Qt.KeyboardModifier.KeypadModifier)
        if event.key() == Qt.Key.Key_Shift and self._held:
            return True
        typed = "".join(one.text() for _, one in self._held) + event.text()
        if self._held and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            begins = id_begins("".join(one.text() for _, one in self._held))
            if begins:
                self._held.clear()
                self._timer.stop()
                self._found(begins)
                return True
        fits = plain and len(event.text()) == 1 and len(typed) <= MOST_KEYS and (
            PREFIX.startswith(typed.upper()) or (typed.upper().startswith(PREFIX) and typed[len(PREFIX):].isdigit()))
        if not fits:
            self._let_go()
            return False
        self._held.append((watched, QKeyEvent(event)))
        self._timer.start()
        return True

    def _let_go(self) -> None:
        """They were typed by hand: give them where they were going."""
        held, self._held = self._held, []
        self._timer.stop()
        self._replaying = True
        try:
            for watched, event in held:
                if isValid(watched):  # it may have gone meanwhile
                    QCoreApplication.sendEvent(watched, event)
        finally:
            self._replaying = False


def open_by_label(window: MainWindow, beginning: str) -> None:
    """The job whose label was scanned, wherever the keyboard was."""
    try:
        found = window.session.store.begins(beginning)
    except DextrumError as problem:
        window.say_problem(str(problem))
        return
    if len(found) == 1:
        window.open_job(found[0])
        window.trail.say(tr("Opened by its label"))
    elif not found and (lot := _lot_of_label(window, beginning)):
        from dextrum.desktop.stock.view import StockView

        window.show_view("stock")
        view = window.views["stock"]
        assert isinstance(view, StockView)
        view.look_for(lot)
        window.trail.say(tr("Lot {lot}, by its label", lot=lot))
    else:
        window.say_problem(tr("No job here has this label. Is it from another bench?"))


def _lot_of_label(window: MainWindow, beginning: str) -> str:
    """The lot whose label it is; empty where none is."""
    from dextrum.core.ledger.lines import shop_of
    from dextrum.store.ledger import lines

    try:
        lots = shop_of(lines(window.session.store)).lots
    except DextrumError:
        return ""
    return next((name for name, lot in lots.items() if lot.line_id.startswith(beginning)), "")
