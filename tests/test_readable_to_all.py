"""Readable to all: what is painted has names, what happens is announced, Tab goes as one reads, its focus is seen."""

from __future__ import annotations

import re
from itertools import pairwise
from pathlib import Path

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtGui import QAccessible, QImage
from PySide6.QtWidgets import QAbstractButton, QLabel, QListView, QWidget

from dextrum.core.board import Method
from dextrum.core.trail import Cell, JobOpened, Look, PointReading, Readings, Supply
from dextrum.desktop import theme
from dextrum.desktop.frame.reading_order import SAME_LINE_PIXELS, in_reading_order, takes_the_keyboard
from dextrum.desktop.theme import THEMES, Theme, look
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.test_window import contrast
from tests.window_support import CTRL, Key, WindowCase

VALUES, REST = 7.0, 4.5
"""Least contrasts by WCAG 2.1: enhanced for values, minimum for the rest."""


class ReadableCase(WindowCase):
    def fill(self, store: JobStore) -> None:
        volts = {"A1": 0.0, "A4": 0.503, "A5": 0.585, "B5": 0.001, "B4": 0.503, "A6": 0.648, "A10": float("inf")}
        store.add_trail([new_entry(payload, "Ines") for payload in (
            JobOpened("SLS-0417", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Supply("a", 9.1, 1.85),
            Supply("b", 5.0, 0.0), Cell("unplugged"),
            Readings(Method.DIODE_RED_GROUND, tuple(PointReading(f"J1.{c}", v) for c, v in volts.items()), "M1"))])

    def setUp(self) -> None:
        super().setUp()
        QAccessible.setActive(True)
        self.addCleanup(QAccessible.setActive, False)
        self.settled()

    def pump(self) -> None:
        for _ in range(5):
            self.application.processEvents()


class StillTest(ReadableCase):
    def test_nothing_is_animated(self) -> None:
        for effect in theme.MOVING:
            self.assertFalse(self.application.isEffectEnabled(effect), effect)
        code = Path(theme.__file__).parent
        moving = [file.name for file in code.rglob("*.py")
                  if re.search(r"Q\w*Animation|QTimeLine|QEasingCurve", file.read_text("utf-8"))]
        self.assertEqual(moving, [])


class NamesTest(ReadableCase):
    def test_each_lane_has_a_name_where_it_is_painted(self) -> None:
        self.window.show_view("port")
        self.window.views.port.refresh()
        self.pump()
        ladder = self.window.views.port.ladder
        self.wait(lambda: len(ladder._named.names()) == 24, what="for the lanes")
        names = ladder._named.names()
        spoken = next(name for name in names if name.startswith("B5 CC2"))
        self.assertRegex(spoken, r"^B5 CC2, 0\.001 V, grounded, reference 0\.5\d\d V")
        self.assertTrue(any(name.startswith("A10 RX2") and "OL, open" in name for name in names), names)
        self.assertTrue(any("not read" in name for name in names))
        top = QAccessible.queryAccessibleInterface(ladder)
        self.assertGreaterEqual(top.childCount(), 24)
        told = [top.child(k).text(QAccessible.Text.Name) for k in range(top.childCount())]
        self.assertIn(spoken, told)

    def test_cells_and_points_have_names(self) -> None:
        self.window.show_view("port")
        self.window.views.port.refresh()
        pairs = self.window.views.port.pairs
        pairs._shown_as = ()
        pairs.show_pairs(pairs.pairs, pairs.judged, "resistance")
        self.assertTrue(all(re.match(r"[AB]\d+–[AB]\d+, not read", name) for name in pairs._named.names()))
        self.assertEqual(len(pairs._named.names()), len(pairs.pairs))
        self.window.show_view("board")
        self.window.views.board.refresh()
        self.pump()
        names = self.window.views.board.plan._named.names()
        self.assertTrue(any("J1.B5" in name and "grounded" in name for name in names), names)

    def test_each_stretch_of_the_draw_has_a_name(self) -> None:
        self.window.show_view("supply")
        self.pump()
        ribbon = self.window.views.supply.plot.ribbon  # type: ignore[union-attr]
        self.wait(lambda: len(ribbon._named.names()) == 2, what="for the stretches")
        self.assertRegex(ribbon._named.names()[0], r"^A side up, 0:00 to \d+:\d\d, [^,]+, 9\.10 V 1\.850 A$")

    def test_every_control_has_a_name(self) -> None:
        for name in self.window.views:
            self.window.show_view(name)
            self.pump()
            for widget in self.window.findChildren(QWidget):
                if takes_the_keyboard(widget):
                    interface = QAccessible.queryAccessibleInterface(widget)
                    told = interface.text(QAccessible.Text.Name) or interface.text(QAccessible.Text.Value)
                    self.assertTrue(told.strip(), f"{name}: {type(widget).__name__} {widget.objectName()}")

    def test_what_is_recorded_judged_held_and_next_is_announced(self) -> None:
        self.window.show_view("port")
        self.window.views.port.go_to("J1.B8")
        self.type("0.59")
        self.key(Key.Key_Return)
        self.settled()
        said = self.window.announcer.said
        self.assertTrue(any(re.match(r"J1\.B8, 0\.590 V, within", words) for words in said), said)
        self.assertIn("Recorded", said)
        self.assertTrue(any(words.startswith("Next: ") for words in said), said)
        self.assertTrue(any(words.startswith("Held: ") for words in said), said)


class TabTest(ReadableCase):
    def seen_by_tab(self) -> list[QWidget]:
        """All that Tab comes to, from where the keyboard is until it is there again."""
        begun = self.focus()
        found = [begun]
        for _ in range(250):
            self.key(Key.Key_Tab)
            if self.focus() is begun:
                break
            found.append(self.focus())
        return found

    def test_tab_reaches_everything_in_reading_order(self) -> None:
        for name in self.window.views:
            with self.subTest(name):
                self.window.show_view(name)
                self.pump()
                self.window.help.order_tabs()
                self.window.shelf.new.setFocus()
                found = self.seen_by_tab()
                reached = {id(w) for w in found}
                missed = [f"{type(w).__name__} {w.accessibleName() or w.objectName()}"
                          for w in self.window.findChildren(QWidget)
                          if takes_the_keyboard(w) and w.focusPolicy() & Qt.FocusPolicy.TabFocus
                          and id(w) not in reached and not self.inside_a_list(w)
                          and not any(w.isAncestorOf(one) for one in found)]
                self.assertEqual(missed, [])
                if name not in ("intake", "port"):  # these go by how they are filled in
                    view = self.window.views[name]
                    places = [(w.mapTo(self.window, QPoint(0, 0)), w) for w in found if view.isAncestorOf(w)]
                    for (one, upper), (other, lower) in pairwise(places):
                        gap = (other.y() + lower.height() / 2) - (one.y() + upper.height() / 2)
                        self.assertTrue(gap > -SAME_LINE_PIXELS, f"{upper.accessibleName()} to "
                                        f"{lower.accessibleName()}")

    @staticmethod
    def inside_a_list(widget: QWidget) -> bool:
        above = widget.parentWidget()
        while above is not None:
            if isinstance(above, QListView):
                return True
            above = above.parentWidget()
        return False

    def test_the_intake_ends_with_its_button(self) -> None:
        self.window.show_view("intake")
        self.pump()
        chain = self.window.views["intake"].tab_chain()
        names = [w.text() for w in chain if isinstance(w, QAbstractButton)]
        self.assertEqual(names[-1], "Record the intake")
        self.assertGreater(names.index("does not charge"), names.index("wet, or was wet"))

    def test_every_focus_is_seen(self) -> None:
        for name in self.window.views:
            self.window.show_view(name)
            self.pump()
            view = self.window.views[name]
            regions = [view, self.window.head, self.window.reasoning, self.window.shelf, self.window.trail]
            for widget in [w for region in regions for w in in_reading_order(region)]:
                if widget.visibleRegion().isEmpty():
                    continue  # scrolled out of sight; Tab brings it in
                self.window.setFocus()
                self.pump()
                before = self.picture(widget)
                widget.setFocus(Qt.FocusReason.TabFocusReason)
                self.pump()
                if self.application.focusWidget() is None:
                    continue
                after = self.picture(widget)
                self.assertNotEqual(before, after, f"{name}: {type(widget).__name__} "
                                    f"{widget.accessibleName() or widget.objectName()}")

    def picture(self, widget: QWidget) -> QImage:
        place = QRect(widget.mapTo(self.window, QPoint(-3, -3)), widget.size()).adjusted(0, 0, 6, 6)
        return self.window.grab(place).toImage()


class ContrastTest(ReadableCase):
    def pairs(self, t: Theme) -> list[tuple[str, str, float]]:
        grounds = (t.ground, t.panel, t.lit, t.shelf)
        return [*((front, back, VALUES) for front in (t.ink, t.below, t.above) for back in grounds[:3]),
                (t.ink, t.shelf, VALUES), (t.card_ink, t.card, VALUES), (t.card_quiet, t.card, REST),
                (t.card_accent, t.card, REST), *((t.quiet, back, REST) for back in grounds),
                (t.edge, t.panel, 3.0), (t.ink, t.bar_ground, VALUES)]

    def test_values_have_seven_to_one_and_the_rest_four_and_a_half(self) -> None:
        for t in THEMES:
            for front, back, least in self.pairs(t):
                self.assertGreaterEqual(round(contrast(front, back), 2), least, (t.name, front, back))

    def test_no_verdict_rests_on_colour_alone(self) -> None:
        """The same picture without colours still tells grounded from open and from within."""
        self.window.show_view("port")
        self.window.resize(1280, 800)
        self.pump()
        ladder = self.window.views.port.ladder
        lanes = {lane.point: lane for lane in ladder.lanes}
        shapes = {}
        for point in ("J1.B5", "J1.A10", "J1.A5"):
            grey = ladder.grab(ladder._lane_rect(lanes[point])).toImage().convertToFormat(QImage.Format.Format_Mono)
            shapes[point] = bytes(grey.constBits())
        self.assertEqual(len(set(shapes.values())), 3)
        words = [label.text() for label in self.window.findChildren(QLabel)]
        self.assertTrue(any("grounded" in text for text in words))

    def test_themes_follow_one_another_and_come_back(self) -> None:
        names = []
        for _ in range(len(THEMES) + 1):
            self.key(Key.Key_T, CTRL)
            names.append(look.theme.name)
        self.assertEqual(names, ["dark", "contrast", "light", "dark"])
        look.theme = theme.LIGHT


if __name__ == "__main__":
    import unittest

    unittest.main()
