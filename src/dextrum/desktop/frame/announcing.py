"""What is recorded, judged, held or next, said to a screen reader. Nothing is shown by it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QWidget

from dextrum.core.board.value_words import value_words
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.reading.judged import JudgedReading
    from dextrum.desktop.frame.job_model import JobModel

MOST_KEPT = 20


class Announcer:
    """said: the latest words, for whoever wants to look; each is said once while it stays the same."""

    def __init__(self, widget: QWidget) -> None:
        self._widget = widget
        self.said: list[str] = []
        self._judged: dict[str, JudgedReading] = {}
        self._held: list[str] = []

    def say_changes(self, model: JobModel) -> None:
        """The reading that is new, with its verdict, and what is held now."""
        fresh = [one for point, one in model.judged.items() if self._judged.get(point) != one]
        if len(fresh) == 1:
            one = fresh[0]
            self.say(f"{one.point}, {value_words(one.reading.value, one.method)}, {one.judgement.verdict.words}")
        self._judged = dict(model.judged)
        held = [gate.words for gate in model.gates if gate.holds_power]
        if held and held != self._held:
            self.say(tr("Held: {held}", held=held[0]))
        self._held = held

    def say(self, words: str) -> None:
        words = " ".join(words.split())
        if not words or (self.said and self.said[-1] == words):
            return
        self.said = [*self.said, words][-MOST_KEPT:]
        QTimer.singleShot(0, self._widget, lambda: self._announce(words))

    def _announce(self, words: str) -> None:
        """Once the window is painted: who reads with the eyes does not wait for it."""
        from PySide6.QtGui import QAccessible, QAccessibleAnnouncementEvent

        if QAccessible.isActive():
            QAccessible.updateAccessibility(QAccessibleAnnouncementEvent(self._widget, words))
