"""A photo laid straight by more points than its corners, and two sides by what they share."""

from __future__ import annotations

import unittest

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import Side
from dextrum.core.packmaking.photo_fit import (
    MOST_MARKS,
    MOST_RESIDUAL_MM,
    KnownPoint,
    by_two_lengths,
    carried,
    homography,
    marks_read,
    marks_written,
    parse_known,
    parse_lengths,
    residuals,
)
from dextrum.desktop.packmaking.photo import Fitted, fitted
from dextrum.desktop.packmaking.view import PackmakingView
from dextrum.errors import EntryRefusedError
from tests.support import DUO, library_of
from tests.test_board_photo import CORNERS, HIGH, WIDE, taken
from tests.window_support import Key, WindowCase

TILT = np.array([[13.0, 1.4, 180.0], [-0.9, 16.0, 140.0], [2e-3, 3e-3, 1.0]])
"""From millimetres to pixels of a photo held at an angle."""


def seen(places: np.ndarray) -> list[tuple[float, float]]:
    return [(float(x), float(y)) for x, y in carried(TILT, [tuple(p) for p in places])]


class HomographyTest(unittest.TestCase):
    def test_four_points_are_exact_and_it_is_the_one_they_were_seen_by(self) -> None:
        corners = np.array([[0.0, 0.0], [62.0, 0.0], [62.0, 31.0], [0.0, 31.0]])
        found = homography(seen(corners), [tuple(p) for p in corners])
        inside = np.random.default_rng(1).uniform((0, 0), (62, 31), (50, 2))
        np.testing.assert_allclose(carried(found, seen(inside)), inside, atol=1e-6)

    def test_more_points_fit_better_than_corners_that_a_hand_has_set(self) -> None:
        draw = np.random.default_rng(7)
        corners = np.array([[0.0, 0.0], [62.0, 0.0], [62.0, 31.0], [0.0, 31.0]])
        worse = better = 0.0
        for _ in range(40):
            extra = draw.uniform((3, 3), (59, 28), (8, 2))
            every = np.vstack([corners, extra])
            pixels = np.asarray(seen(every)) + draw.normal(0.0, 3.0, (12, 2))
            grid = draw.uniform((0, 0), (62, 31), (60, 2))
            for count in (4, 12):
                found = homography([tuple(p) for p in pixels[:count]], [tuple(p) for p in every[:count]])
                off = float(np.hypot(*(carried(found, seen(grid)) - grid).T).mean())
                worse, better = (worse + off, better) if count == 4 else (worse, better + off)
        self.assertLess(better, 0.75 * worse)

    def test_too_few_and_a_line_are_refused(self) -> None:
        with self.assertRaises(ValueError):
            homography([(0, 0), (1, 0), (1, 1)], [(0, 0), (1, 0), (1, 1)])
        line = [(float(k), 2.0 * k) for k in range(6)]
        with self.assertRaises(ValueError):
            homography(line, line)

    def test_the_residual_is_in_the_boards_unit(self) -> None:
        places = [(0.0, 0.0), (62.0, 0.0), (62.0, 31.0), (0.0, 31.0), (30.0, 15.0)]
        off = [*places[:4], (30.0, 16.0)]
        found = homography(seen(np.asarray(places[:4])), places[:4])
        self.assertAlmostEqual(float(residuals(found, seen(np.asarray(places)), off)[4]), 1.0, places=4)


class KnownTest(unittest.TestCase):
    def test_places_names_that_ask_and_names_that_were_told(self) -> None:
        self.assertEqual(parse_known("12,5 8; hole ?; slot", 3, {"slot": (3.0, 4.0)}),
                         (KnownPoint("", (12.5, 8.0)), KnownPoint("hole", None), KnownPoint("slot", (3.0, 4.0))))
        self.assertEqual(parse_known("", 0, {}), ())

    def test_two_lengths_lay_a_photo_from_above_straight(self) -> None:
        """A board turned by five degrees, its pixels not quite square: by hand."""
        angle, wide, high = np.radians(5.0), 12.0, 11.5  # pixels a millimetre
        turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]]) @ np.diag([wide, high])

        def pixel(x: float, y: float) -> tuple[float, float]:
            found = turn @ (x, y) + (90.0, 40.0)
            return float(found[0]), float(found[1])

        for ends in ([pixel(3, 4), pixel(43, 4), pixel(10, 2), pixel(10, 24)],
                     [pixel(43, 4), pixel(3, 4), pixel(10, 24), pixel(10, 2)]):  # either end first
            corners, size = by_two_lengths(ends, (40.0, 22.0), (800.0, 420.0))
            matrix = homography(corners, [(0.0, 0.0), (size[0], 0.0), size, (0.0, size[1])])
            a, b = carried(matrix, [pixel(7, 9), pixel(27, 24)])
            np.testing.assert_allclose(b - a, (20.0, 15.0), atol=1e-6)
            for corner in ((0.0, 0.0), (800.0, 0.0), (800.0, 420.0), (0.0, 420.0)):
                x, y = carried(matrix, [corner])[0]
                self.assertTrue(-1e-6 <= x <= size[0] + 1e-6 and -1e-6 <= y <= size[1] + 1e-6)

    def test_lengths_that_tell_nothing_are_refused(self) -> None:
        self.assertEqual(parse_lengths("Lengths 40,5 22 mm"), (40.5, 22.0))
        self.assertIsNone(parse_lengths("62 x 31"))
        for text in ("lengths", "lengths 40", "lengths 40 x", "lengths 0 22", "lengths 40 4000", "lengths nan 3"):
            with self.subTest(text), self.assertRaisesRegex(ValueError, "expected"):
                parse_lengths(text)
        for ends in ([(0, 0), (100, 0), (0, 0), (90, 20)], [(0, 0), (5, 0), (0, 0), (0, 90)],
                     [(0, 0), (0, 100), (0, 0), (0, 90)]):
            with self.subTest(ends), self.assertRaisesRegex(ValueError, "expected"):
                by_two_lengths([(float(x), float(y)) for x, y in ends], (40.0, 22.0), (200.0, 100.0))

    def test_marks_are_read_as_they_were_written(self) -> None:
        marks = {"hole": (12.5, 8.25), "slot": (3.0, -0.4)}
        self.assertEqual(marks_read(marks_written(marks)), marks)
        self.assertEqual(marks_read(""), {})
        many = {f"m{k}": (float(k), 0.0) for k in range(MOST_MARKS + 5)}
        self.assertEqual(list(marks_read(marks_written(many))), [f"m{k}" for k in range(5, MOST_MARKS + 5)])

    def test_what_is_wrong_is_told(self) -> None:
        for text, count, words in (("12 8", 2, "for 2 further points"), ("12", 1, "no place"), ("hole", 1, "nobody"),
                                   ("?", 1, "nobody"), ("12 8; 3 4", 1, "for 1 further point;")):
            with self.subTest(text), self.assertRaises(ValueError) as refused:
                parse_known(text, count, {})
            self.assertIn(words, str(refused.exception))


class FittedTest(unittest.TestCase):
    def at(self, x: float, y: float, mirrored: bool = False) -> QPointF:
        return QPointF(*seen(np.array([[62.0 - x if mirrored else x, y]]))[0])

    def test_a_hole_that_both_sides_show_lays_them_over_one_another(self) -> None:
        corners = tuple(self.at(x, y) for x, y in ((0, 0), (62, 0), (62, 31), (0, 31)))
        top = fitted(corners, (62.0, 31.0), [self.at(12.0, 8.0)], [KnownPoint("hole", None)])
        self.assertAlmostEqual(top.marks["hole"][0], 12.0, places=3)
        # The bottom is seen turned over; two of its corners were set a millimetre off.
        loose = (corners[0] + QPointF(13, 0), corners[1], corners[2] - QPointF(13, 0), corners[3])
        holes = {"hole": (12.0, 8.0), "slot": (50.0, 24.0), "pin": (30.0, 5.0), "dot": (8.0, 27.0)}
        further = [self.at(*place, mirrored=True) for place in holes.values()]
        known = [KnownPoint(name, place) for name, place in holes.items()]
        alone, together = fitted(loose, (62.0, 31.0), mirrored=True), fitted(loose, (62.0, 31.0), further, known, True)

        def off(fit: Fitted) -> float:
            pixel = self.at(20.0, 20.0, mirrored=True)
            x, y = carried(fit.matrix, [(pixel.x(), pixel.y())])[0]
            return float(np.hypot(62.0 - x - 20.0, y - 20.0))

        self.assertLess(off(together), 0.8 * off(alone))
        self.assertGreater(together.residual_mm, 0.1)

    def test_a_point_that_does_not_fit_is_named(self) -> None:
        corners = tuple(self.at(x, y) for x, y in ((0, 0), (62, 0), (62, 31), (0, 31)))
        with self.assertRaises(EntryRefusedError) as refused:
            fitted(corners, (62.0, 31.0), [self.at(12.0, 8.0)], [KnownPoint("", (22.0, 8.0))])
        self.assertIn("Point", refused.exception.happened)
        self.assertGreater(MOST_RESIDUAL_MM, 0.5)


class WindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_a_further_point_by_click_and_key(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.window.open_job(self.session.open_new_job("SLS-0831", pack))
        self.settled()
        place = self.folder / "top.png"
        taken().save(str(place))
        self.window.commands.run("pack.photo")
        self.type(str(place))
        self.key(Key.Key_Return)
        view = self.window.views["packmaking"]
        assert isinstance(view, PackmakingView)
        panel = view.photo
        self.wait(panel.isVisible, what="for the photo")
        self.assertFalse(panel.known.isVisible())
        self.application.processEvents()
        canvas = panel.canvas
        middle = sum(CORNERS, QPointF()) / 4.0
        for corner in (*CORNERS, middle):
            frame, scale = canvas._frame(), canvas._scale()
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=(frame.topLeft() + corner * scale).toPoint())
            self.application.processEvents()
        self.assertTrue(panel.known.isVisible())
        panel.size_mm.setText(f"{WIDE:g} x {HIGH:g}")
        panel.known.setText("5 5")
        panel.known.setFocus()
        self.key(Key.Key_Return)
        self.assertIn("mm from where it should", panel.words.text())
        panel.known.setText("hole ?")
        self.key(Key.Key_Return)
        self.wait(lambda: not panel.isVisible(), what="for the photo to be kept")
        self.assertIn("5 points fit to", view.trouble.text())
        self.assertIn("hole", view._marks)
        self.assertTrue(0.0 < view._marks["hole"][0] < WIDE)
        # Another day, another job on the pack: the other side's photo knows the hole.
        told = view._marks["hole"]
        self.window.open_job(self.session.open_new_job("SLS-0900", DUO))
        self.settled()
        self.window.show_view("packmaking")
        self.assertEqual(view._marks, {})
        self.window.open_job(self.session.open_new_job("SLS-0832", pack))
        self.settled()
        self.window.show_view("packmaking")
        self.assertAlmostEqual(view._marks["hole"][0], told[0], places=3)
        self.store.set_setting(f"marks.{pack}", "hole x y; ; slot 3 4; \x00")
        self.window.open_job(self.session.open_new_job("SLS-0833", pack))
        self.settled()
        self.window.show_view("packmaking")
        self.assertEqual(view._marks, {"slot": (3.0, 4.0)}, "what can't be read is left out")
        # By two lengths, once they are typed as such; but not beside a photo of the other side.
        view.open_photo(place, Side.BOTTOM, self.window.long_work.run)
        self.wait(panel.isVisible, what="for the other side's photo")
        self.application.processEvents()
        for corner in (CORNERS[0], CORNERS[1], CORNERS[0], CORNERS[3]):
            frame, scale = canvas._frame(), canvas._scale()
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=(frame.topLeft() + corner * scale).toPoint())
        panel.size_mm.setText(f"lengths {WIDE:g} {HIGH:g}")
        panel.size_mm.setFocus()
        self.key(Key.Key_Return)
        self.assertIn("top side has told the board's size", panel.words.text())
        view.open_photo(place, Side.TOP, self.window.long_work.run)
        self.wait(lambda: not canvas.corners, what="for the photo once more")
        self.application.processEvents()
        for corner in (CORNERS[0], CORNERS[1], CORNERS[0], CORNERS[3]):
            frame, scale = canvas._frame(), canvas._scale()
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton, pos=(frame.topLeft() + corner * scale).toPoint())
        for typed, wrong in (("lengths 40", "no two lengths"), (f"lengths {WIDE:g} {HIGH:g}", "")):
            panel.size_mm.setText(typed)
            panel.size_mm.setFocus()
            self.key(Key.Key_Return)
            self.assertIn(wrong, panel.words.text())
        self.wait(lambda: not panel.isVisible(), what="for the photo by lengths to be kept")
        wide, high = (max(p[axis] for p in self.session.library.board(pack).outline_mm) for axis in (0, 1))
        self.assertTrue(wide > WIDE and high > HIGH, "the whole photo lies under the plan")


if __name__ == "__main__":
    unittest.main()
