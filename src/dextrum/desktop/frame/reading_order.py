"""The order in which Tab goes: as one reads, region by region, and nothing that can have the keyboard left out."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import pairwise

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QWidget

SAME_LINE_PIXELS = 14
"""Widgets whose middles lie no further apart stand in one line."""


def takes_the_keyboard(widget: QWidget) -> bool:
    return (bool(widget.focusPolicy() & Qt.FocusPolicy.TabFocus) and widget.isVisible() and widget.isEnabled()
            and widget.focusProxy() is None)


def in_reading_order(region: QWidget) -> list[QWidget]:
    """What can have the keyboard in a region: line by line, each from left to right."""
    found = [w for w in (region, *region.findChildren(QWidget)) if takes_the_keyboard(w)]
    placed = sorted(((w.mapTo(region, QPoint(0, 0)), w) for w in found),
                    key=lambda one: one[0].y() + one[1].height() / 2)
    lines: list[list[tuple[QPoint, QWidget]]] = []
    for at, widget in placed:
        middle = at.y() + widget.height() / 2
        if lines and middle - (lines[-1][0][0].y() + lines[-1][0][1].height() / 2) <= SAME_LINE_PIXELS:
            lines[-1].append((at, widget))
        else:
            lines.append([(at, widget)])
    return [widget for line in lines for _, widget in sorted(line, key=lambda one: one[0].x())]


def chain(widgets: Iterable[QWidget]) -> None:
    """Tab goes from each to the next."""
    for one, other in pairwise(widgets):
        QWidget.setTabOrder(one, other)


def without_repeats(lists: Sequence[list[QWidget]]) -> list[QWidget]:
    seen: dict[int, QWidget] = {}
    for widgets in lists:
        for widget in widgets:
            seen.setdefault(id(widget), widget)
    return list(seen.values())
