"""Parts of a painted widget for a screen reader: an empty widget with a name over each place, which nobody sees and no
mouse meets."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QRect, Qt
from PySide6.QtWidgets import QWidget

NAMED_AFTER = 60
"""Milliseconds after something changed: whoever reads with the eyes comes first."""


class NamedPlaces:
    """Kept for one painted widget; `show` says what is painted where."""

    def __init__(self, over: QWidget) -> None:
        self._over = over
        self._places: list[QWidget] = []

    def show(self, parts: Sequence[tuple[str, QRect]]) -> None:
        """parts: name and place of each, in reading order."""
        while len(self._places) < len(parts):
            place = QWidget(self._over)
            place.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            place.setAttribute(Qt.WidgetAttribute.WA_NoSystemBackground)
            place.setObjectName("place")
            place.lower()
            place.show()
            self._places.append(place)
        for place in self._places[len(parts):]:
            place.hide()
        for place, (name, rect) in zip(self._places, parts, strict=False):
            if place.accessibleName() != name:
                place.setAccessibleName(name)
            if place.geometry() != rect:
                place.setGeometry(rect)
            if place.isHidden():
                place.show()

    def names(self) -> tuple[str, ...]:
        return tuple(place.accessibleName() for place in self._places if not place.isHidden())
