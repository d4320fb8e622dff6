"""Every view at many sizes and text sizes: no text cut, none over another, nothing beyond the window."""

from __future__ import annotations

import unittest

import numpy as np
from PySide6.QtCore import QEvent, QPoint, QRect
from PySide6.QtWidgets import (
    QAbstractButton,
    QComboBox,
    QLabel,
    QLineEdit,
    QStyle,
    QStyleOptionComboBox,
    QWidget,
)

from dextrum.core.board import Method
from dextrum.core.trail import Cell, JobOpened, Look, PointReading, Readings, Supply
from dextrum.desktop.frame.elided_label import ElidedLabel
from dextrum.desktop.frame.press_line import PressLine
from dextrum.desktop.frame.regions import regions, trail_lines
from dextrum.desktop.theme import SCALES, look
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.window_support import WindowCase

SIZES = ((1024, 700, 75), (1024, 700, 100), (960, 700, 100), (1280, 800, 100), (1920, 1080, 100), (1024, 700, 125),
         (960, 1040, 125), (1280, 800, 125), (1280, 800, 150), (1280, 800, 200), (1920, 1080, 200), (3840, 2160, 200))
"""Width, height, text in percent; the same text one after the other, since dressing the window anew takes longest."""
SLACK = 2
"""Pixels by which a font's own measure may differ from what is painted."""


def place_of(widget: QWidget, window: QWidget) -> QRect:
    return QRect(widget.mapTo(window, QPoint(0, 0)), widget.size())


def shown_texts(window: QWidget) -> list[QWidget]:
    """Labels, buttons, boxes and fields that are seen."""
    return [one for one in window.findChildren(QWidget)
            if isinstance(one, (QLabel, QAbstractButton, QComboBox, QLineEdit)) and one.isVisible()
            and not one.visibleRegion().isEmpty() and (not isinstance(one, QLabel) or one.text())]


def room_for_words(box: QComboBox) -> int:
    """Pixels that a choice has beside its arrow."""
    option = QStyleOptionComboBox()
    box.initStyleOption(option)
    return box.style().subControlRect(QStyle.ComplexControl.CC_ComboBox, option,
                                      QStyle.SubControl.SC_ComboBoxEditField, box).width()


def is_cut(widget: QWidget) -> str:
    """What of a widget's text is cut off, in words; empty where all of it is seen."""
    if isinstance(widget, ElidedLabel):
        return ""
    if isinstance(widget, PressLine):
        return "" if widget.height() >= widget.heightForWidth(widget.width()) - SLACK else "line too low"
    metrics = widget.fontMetrics()
    if isinstance(widget, QLabel):
        if widget.wordWrap():
            return "" if widget.height() + SLACK >= widget.heightForWidth(widget.width()) else "wrapped text too low"
        wide = max(metrics.horizontalAdvance(line) for line in widget.text().split("\n"))
        return "" if wide <= widget.width() + SLACK else f"{wide - widget.width()} pixels too wide"
    if isinstance(widget, QAbstractButton):
        wide = metrics.horizontalAdvance(widget.text())
        return "" if wide <= widget.width() + SLACK else f"{wide - widget.width()} pixels too wide"
    if isinstance(widget, QComboBox):
        wide = metrics.horizontalAdvance(widget.currentText()) - room_for_words(widget)
        if wide > SLACK:
            return f"{wide} pixels too wide"
        return "" if widget.height() >= metrics.height() else "box too low"
    return "" if widget.height() >= metrics.height() else "field too low"


def that_meet(seen: list[QRect]) -> list[tuple[int, int]]:
    """Places of the pairs of rectangles that have more than a border of a pixel in common."""
    if not seen:
        return []
    left, top, right, bottom = np.array([(r.left() + 1, r.top() + 1, r.right() - 1, r.bottom() - 1) for r in seen]).T
    real = (left <= right) & (top <= bottom)
    meet = ((left[:, None] <= right) & (left <= right[:, None]) & (top[:, None] <= bottom) & (top <= bottom[:, None])
            & real[:, None] & real)
    return [(int(k), int(n)) for k, n in np.argwhere(np.triu(meet, 1))]


class AnySizeTest(WindowCase):
    def fill(self, store: JobStore) -> None:
        volts = {"A1": 0.0, "A4": 0.503, "A5": 0.585, "B5": 0.001, "B4": 0.503, "A6": 0.648, "A10": float("inf")}
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0417", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85),
            Supply("b", 5.0, 0.0), Cell("unplugged"),
            Readings(Method.DIODE_RED_GROUND, tuple(PointReading(f"J1.{c}", v) for c, v in volts.items()), "M1"))])

    def test_no_text_is_cut_or_covered_at_any_size(self) -> None:
        self.settled()
        for width, height, scale in SIZES:
            self.window.resize(width, height)
            if look.scale != scale:
                look.scale = scale
                self.window.restyle()
            self.settled()
            for name in self.window.views:
                self.window.show_view(name)
                for _ in range(3):
                    self.application.processEvents()
                    # What came last may have set words: they are laid out before anything is measured.
                    self.application.sendPostedEvents(None, QEvent.Type.LayoutRequest.value)
                with self.subTest(size=f"{width}x{height}", text=scale, view=name):
                    self.check(name, width, height)

    def check(self, name: str, width: int, height: int) -> None:
        window = self.window
        self.assertEqual((window.width(), window.height()), (width, height), "the window does not get so small")
        self.assertEqual(window.pages[name].horizontalScrollBar().maximum(), 0, "scrolls sideways")
        texts = shown_texts(window)
        cut = [f"{type(one).__name__} {self.words(one)!r}: {why}" for one in texts if (why := is_cut(one))]
        self.assertEqual(cut, [])
        places = [(one, place_of(one, window)) for one in texts]
        for one, place in places:
            self.assertGreaterEqual(place.left(), 0, self.words(one))
            self.assertLessEqual(place.right(), window.width(), self.words(one))
        over = [f"{self.words(texts[k])!r} and {self.words(texts[n])!r}" for k, n in that_meet(
            [one.visibleRegion().boundingRect().translated(place.topLeft()) for one, place in places])
            if not texts[k].isAncestorOf(texts[n]) and not texts[n].isAncestorOf(texts[k])]
        self.assertEqual(over, [])

    @staticmethod
    def words(widget: QWidget) -> str:
        text = getattr(widget, "text", None)
        return (text() if callable(text) else "")[:40] or widget.accessibleName()


class MeetTest(unittest.TestCase):
    def test_what_lies_over_another_is_found_and_what_touches_it_is_not(self) -> None:
        one, inside, beside, below = QRect(0, 0, 40, 20), QRect(10, 5, 5, 5), QRect(40, 0, 40, 20), QRect(0, 18, 40, 20)
        self.assertEqual(that_meet([one, inside]), [(0, 1)])
        self.assertEqual(that_meet([one, beside]), [])
        self.assertEqual(that_meet([one, beside, below]), [])
        self.assertEqual(that_meet([one, below.translated(0, -3)]), [(0, 1)])
        self.assertEqual(that_meet([one, QRect()]), [])
        self.assertEqual(that_meet([]), [])


class RegionsTest(unittest.TestCase):
    def test_the_view_keeps_its_room_and_regions_fold_in_order(self) -> None:
        for scale in SCALES:
            for width in range(900, 3900, 60):
                sizes = regions(width, scale)
                self.assertLessEqual(sizes.shelf + sizes.reasoning, width)
                self.assertTrue(sizes.shelf_folds or not sizes.reasoning_folds, "the shelf folds first")
                self.assertEqual((sizes.shelf == 0, sizes.reasoning == 0), (sizes.shelf_folds, sizes.reasoning_folds))

    def test_a_wide_window_gives_the_reasoning_more(self) -> None:
        self.assertEqual(regions(1280, 100).reasoning, 306)
        self.assertGreater(regions(1920, 100).reasoning, 450)
        self.assertEqual(regions(1280, 100), regions(1280, 100, "shelf"))

    def test_what_is_folded_away_can_be_shown(self) -> None:
        self.assertEqual(regions(960, 100).shelf, 0)
        self.assertGreater(regions(960, 100, "shelf").shelf, 0)
        self.assertGreater(regions(960, 200, "reasoning").reasoning, 0)

    def test_a_low_window_has_lines_for_cards_in_its_trail(self) -> None:
        self.assertEqual([trail_lines(high, 100) for high in (1080, 700, 520, 519)], [3, 3, 3, 1])
        self.assertEqual([trail_lines(700, scale) for scale in (75, 125, 150, 200)], [3, 3, 1, 1])
        for high in range(400, 2200, 50):
            lines = [trail_lines(high, scale) for scale in SCALES]
            self.assertEqual(lines, sorted(lines, reverse=True), "larger text never asks for more of them")


if __name__ == "__main__":
    unittest.main()
