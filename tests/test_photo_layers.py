"""Several photos of a side: a further one over the kept one where both show the same, and photos that show something
else."""

from __future__ import annotations

import unittest
from collections.abc import Callable
from functools import cache
from pathlib import Path

import cv2
import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtTest import QTest

from dextrum.app.bench.simbench import UNDESCRIBED, undescribed_library
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.app.packmaking.photo_layers import LiesOn, _area, _cut_to, found_on_photo, joined, lies_on, placed
from dextrum.core.board import Board, Side
from dextrum.core.packmaking.first_rung import resized
from dextrum.core.packmaking.photo_fit import KnownPoint, parse_places
from dextrum.desktop.frame.picture_file import as_jpeg
from dextrum.desktop.frame.pixels import grey_of, image_of, pixels_of
from dextrum.desktop.packmaking.photo import fitted, fitted_by_places
from dextrum.desktop.packmaking.view import PackmakingView
from dextrum.errors import EntryRefusedError
from dextrum.world.photograph import Holding, Picture, from_above, photographed
from tests.support import duo_board, library_of
from tests.window_support import Key, WindowCase, application

A_MM = 40.0
CLOSE = 1.6
"""Pixels of a close photo for one of a kept one."""
STEADY = Holding(0.04, 4.0, 0.2, 0.7)


def grip() -> Board:
    return undescribed_library().board(UNDESCRIBED)


def size_mm(board: Board) -> tuple[float, float]:
    return max(x for x, _ in board.outline_mm), max(y for _, y in board.outline_mm)


def grey(picture: Picture) -> np.ndarray:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)


@cache
def straight(side: Side, held: int) -> Picture:
    """A photo of the Grip set right by its true corners."""
    flat = from_above(grip(), side, 7, pixels_a_mm=A_MM)
    photo, corners = photographed(flat, held)
    high, wide = flat.shape[:2]
    flat_corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32)
    back = cv2.getPerspectiveTransform(corners.astype(np.float32), flat_corners)
    return np.asarray(cv2.warpPerspective(photo, back, (wide, high)), np.uint8)


@cache
def close(side: Side, held: int, left: float, top: float, share: float) -> tuple[Picture, np.ndarray]:
    """A photo of a part of the Grip from closer by, and its true matrix to millimetres as the side is seen. left, top,
    share: of the board, the part that fills the photo."""
    flat = from_above(grip(), side, 7, pixels_a_mm=A_MM * CLOSE)
    photo, corners = photographed(flat, held, STEADY)
    high, wide = flat.shape[:2]
    to_mm = cv2.getPerspectiveTransform(corners.astype(np.float32), np.array(
        [[0, 0], [wide, 0], [wide, high], [0, high]], np.float32) / np.float32(A_MM * CLOSE))
    x, y = (round(one) for one in (corners[0][0] + left * wide, corners[0][1] + top * high))
    part = photo[y:y + round(share * high), x:x + round(share * wide)]
    return np.ascontiguousarray(part), to_mm @ np.array([[1, 0, x], [0, 1, y], [0, 0, 1.0]])


def off_by_mm(lies: LiesOn, true: np.ndarray, photo: Picture) -> float:
    """How far the worst corner of a photo is laid from where it is."""
    high, wide = photo.shape[:2]
    corners = np.array([[0, 0, 1], [wide, 0, 1], [wide, high, 1], [0, high, 1.0]])

    def carried(matrix: np.ndarray) -> np.ndarray:
        at = corners @ matrix.T
        return np.asarray(at[:, :2] / at[:, 2:])

    return float(np.linalg.norm(carried(lies.matrix) / A_MM - carried(true), axis=1).max())


class LiesOnTest(unittest.TestCase):
    def kept(self) -> dict[Side, np.ndarray]:
        return {side: grey(straight(side, 3)) for side in Side}

    def test_a_closer_photo_of_a_part_lies_where_it_belongs(self) -> None:
        for side, left, top, share in ((Side.TOP, 0.1, 0.1, 0.6), (Side.TOP, 0.45, 0.3, 0.5),
                                       (Side.BOTTOM, 0.2, 0.1, 0.6)):
            with self.subTest(side=side, left=left):
                photo, true = close(side, 31, left, top, share)
                lies = lies_on(self.kept(), grey(photo))
                assert lies is not None
                self.assertIs(lies.side, side)
                self.assertLess(off_by_mm(lies, true, photo), 0.6)
                self.assertAlmostEqual(lies.share, share ** 2, delta=0.06)
                self.assertAlmostEqual(lies.closer, CLOSE, delta=0.2)
                self.assertFalse(lies.shows_all)

    def test_the_whole_side_again_is_known_as_such(self) -> None:
        lies = lies_on(self.kept(), grey(straight(Side.BOTTOM, 12)))
        assert lies is not None
        self.assertTrue(lies.side is Side.BOTTOM and lies.shows_all)

    def test_another_board_lies_nowhere(self) -> None:
        other, _ = photographed(from_above(duo_board(), Side.TOP, 7), 4)
        self.assertIsNone(lies_on(self.kept(), grey(other)))
        self.assertIsNone(lies_on({}, grey(other)))
        self.assertIsNone(lies_on(self.kept(), np.full((300, 400), 90, np.uint8)))

    def test_copper_alone_does_not_make_two_sides_one(self) -> None:
        """The drawn copper of both sides is alike, so corners agree: what lies on it is not."""
        bottom, _ = photographed(from_above(grip(), Side.BOTTOM, 7, pixels_a_mm=A_MM), 3)
        self.assertIsNone(lies_on({Side.TOP: grey(straight(Side.TOP, 3))}, grey(bottom)))

    def test_what_is_said_of_each(self) -> None:
        matrix = np.eye(3)
        same, other = LiesOn(Side.TOP, matrix, 0.3, 2.0), LiesOn(Side.BOTTOM, matrix, 1.0, 1.0)
        self.assertFalse(found_on_photo(None, Side.TOP, ()).words)
        self.assertFalse(found_on_photo(None, Side.TOP, (Side.BOTTOM,)).words)
        nothing = found_on_photo(None, Side.TOP, (Side.TOP,))
        self.assertTrue("is it this board" in nothing.words and nothing.odd and not nothing.over)
        closer = found_on_photo(same, Side.TOP, (Side.TOP,))
        self.assertTrue("30%" in closer.words and closer.over and not closer.odd)
        wrong = found_on_photo(other, Side.TOP, (Side.BOTTOM,))
        self.assertTrue("bottom" in wrong.words and wrong.over and wrong.odd)


class JoinedTest(unittest.TestCase):
    def test_outside_it_stays_and_inside_the_closer_photo_is_seen(self) -> None:
        kept = np.full((200, 300, 3), 100, np.uint8)
        photo = np.full((160, 160, 3), 50, np.uint8)
        photo[76:84, 76:84] = 250
        both = joined(kept, photo, placed(Side.TOP, np.array([[0.5, 0, 100], [0, 0.5, 60], [0, 0, 1.0]]),
                                          kept.shape, photo.shape))
        self.assertTrue((both[:50] == 100).all() and (both[:, :90] == 100).all())
        self.assertGreater(int(both[100, 140, 0]), 240)
        # As bright as the kept one, however the lamp stood.
        self.assertAlmostEqual(int(both[85, 125, 0]), 100, delta=4)

    def test_a_photo_that_hangs_over_the_edge_is_cut_there(self) -> None:
        lies = placed(Side.TOP, np.array([[1, 0, 250], [0, 1, 150], [0, 0, 1.0]]), (200, 300), (100, 100))
        self.assertAlmostEqual(lies.share, 50 * 50 / (200 * 300))
        joined(np.zeros((200, 300, 3), np.uint8), np.zeros((100, 100, 3), np.uint8), lies)
        away = placed(Side.TOP, np.array([[1, 0, 900], [0, 1, 0], [0, 0, 1.0]]), (200, 300), (100, 100))
        self.assertEqual(away.share, 0.0)
        kept = np.full((200, 300, 3), 7, np.uint8)
        self.assertTrue((joined(kept, np.zeros((100, 100, 3), np.uint8), away) == kept).all())

    def test_a_polygon_cut_to_a_rectangle(self) -> None:
        draw = np.random.default_rng(5)
        for _ in range(20):
            middle, reach = draw.uniform(0, 10, 2), draw.uniform(2, 8)
            turn = np.arange(3) * 2 * np.pi / 3 + draw.uniform(0, 6)
            triangle = middle + reach * np.c_[np.cos(turn), np.sin(turn)]
            fine = draw.uniform(0, 10, (40_000, 2))
            along = np.roll(triangle, -1, axis=0) - triangle
            from_corner = fine[None] - triangle[:, None]
            turn = along[:, None, 0] * from_corner[:, :, 1] - along[:, None, 1] * from_corner[:, :, 0]
            inside = (turn > 0).all(axis=0).mean() * 100.0
            self.assertAlmostEqual(_area(_cut_to(triangle, 10.0, 10.0)), inside, delta=1.5)

    def test_pixels_go_to_a_picture_and_back(self) -> None:
        application()
        draw = np.random.default_rng(3).integers(0, 256, (13, 17, 4)).astype(np.uint8)
        back = pixels_of(image_of(draw))
        self.assertTrue((back[:, :, :3] == draw[:, :, :3]).all())
        self.assertEqual(grey_of(image_of(draw)).shape, (13, 17))


class ByPlacesTest(unittest.TestCase):
    def test_the_word_before_the_places(self) -> None:
        self.assertEqual(parse_places("places 3 2; 12 2"), "3 2; 12 2")
        self.assertIsNone(parse_places("62 x 31"))
        self.assertIsNone(parse_places("lengths 40 22"))

    def test_four_places_are_needed_and_they_must_agree(self) -> None:
        at = [QPointF(x, y) for x, y in ((100, 100), (700, 110), (720, 500), (90, 480), (400, 300))]
        four = [KnownPoint("", place) for place in ((10.0, 10.0), (40.0, 10.0), (40.0, 30.0), (10.0, 30.0))]
        fit = fitted_by_places(at, (*four, KnownPoint("hole", None)), (60.0, 40.0))
        self.assertAlmostEqual(fit.marks["hole"][0], 25.0, delta=1.5)
        turned = fitted_by_places(at, (*four, KnownPoint("hole", None)), (60.0, 40.0), mirrored=True)
        self.assertAlmostEqual(turned.marks["hole"][0], 25.0, delta=1.5)
        self.assertGreater(abs(turned.matrix - fit.matrix).max(), 0.01)
        with self.assertRaisesRegex(EntryRefusedError, "Fewer than 4"):
            fitted_by_places(at[:4], (*four[:3], KnownPoint("hole", None)), (60.0, 40.0))
        with self.assertRaisesRegex(EntryRefusedError, "lies"):
            fitted_by_places(at, (*four, KnownPoint("", (55.0, 39.0))), (60.0, 40.0))

    def test_a_size_the_wrong_way_round_is_told(self) -> None:
        corners = (QPointF(0, 0), QPointF(900, 20), QPointF(890, 470), QPointF(10, 450))
        fitted(corners, (62.0, 31.0))
        with self.assertRaisesRegex(EntryRefusedError, "as wide as high"):
            fitted(corners, (31.0, 62.0))


class WindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def begin(self, *sides: Side) -> PackmakingView:
        library = self.session.library
        pack = begin_pack(library, "Grip", "B", "usb-c-16", "", "back off 6")
        if sides:
            library.keep(resized(library.board(pack), *size_mm(grip())), {side: self.jpeg(straight(side, 3))
                                                                          for side in sides})
        self.window.open_job(self.session.open_new_job("SLS-0831", pack))
        self.settled()
        self.window.show_view("packmaking")
        view = self.window.views["packmaking"]
        assert isinstance(view, PackmakingView)
        return view

    def jpeg(self, picture: Picture) -> bytes:
        blue_first = np.dstack([picture[:, :, ::-1], np.full(picture.shape[:2], 255, np.uint8)])
        return as_jpeg(image_of(np.ascontiguousarray(blue_first)))

    def file(self, picture: Picture) -> Path:
        place = self.folder / "further.jpg"
        place.write_bytes(self.jpeg(picture))
        return place

    def take(self, view: PackmakingView, picture: Picture, side: Side) -> None:
        view.open_photo(self.file(picture), side, self.window.long_work.run)
        self.wait(view.photo.isVisible, what="for the photo")
        self.wait(lambda: not view.holding_against.busy, what="for what the kept photos tell of it")

    def photo_of(self, side: Side) -> np.ndarray:
        board = self.window.model.board
        assert board is not None
        read = cv2.imdecode(np.frombuffer(self.session.library.photo(board.pack_id, side), np.uint8), cv2.IMREAD_COLOR)
        assert read is not None
        return np.asarray(read)

    def test_a_closer_photo_is_laid_over_by_a_click_and_taken_back(self) -> None:
        view = self.begin(Side.TOP)
        before = self.photo_of(Side.TOP)
        photo, _ = close(Side.TOP, 31, 0.45, 0.3, 0.5)
        self.take(view, photo, Side.TOP)
        self.assertRegex(view.photo.found.text(), r"shows 2\d% of the top side, 1\.[5-7] times as close")
        QTest.mouseClick(view.photo.lay_over, Qt.MouseButton.LeftButton)
        self.wait(lambda: not view.photo.isVisible(), what="for the photo to be laid over")
        after = self.photo_of(Side.TOP)
        self.assertEqual(before.shape, after.shape)
        changed = np.abs(before.astype(int) - after.astype(int)).max(axis=2) > 12
        self.assertFalse(changed[:, :round(0.4 * changed.shape[1])].any(), "what it does not show stays")
        self.assertTrue(changed.any())
        self.window.commands.run("pack.back")
        self.settled()
        self.assertTrue((self.photo_of(Side.TOP) == before).all(), "a step back brings the one before")

    def test_the_other_side_and_another_board_are_told(self) -> None:
        view = self.begin(*Side)
        self.take(view, straight(Side.BOTTOM, 12), Side.TOP)
        self.assertIn("It shows the bottom side", view.photo.found.text())
        view.photo.leave()
        other, _ = photographed(from_above(duo_board(), Side.TOP, 7), 4)
        self.take(view, other, Side.TOP)
        self.assertIn("is it this board, and this side?", view.photo.found.text())
        self.assertFalse(view.photo.lay_over.isVisible())

    def test_a_first_photo_says_nothing_and_another_size_is_refused(self) -> None:
        view = self.begin(Side.TOP)
        photo = straight(Side.BOTTOM, 12)
        self.take(view, photo, Side.BOTTOM)
        self.assertFalse(view.photo.found.isVisible())
        high, wide = photo.shape[:2]
        view.photo.canvas.corners = [QPointF(0, 0), QPointF(wide, 0), QPointF(wide, high), QPointF(0, high)]
        view.photo.canvas.changed.emit()
        across, down = size_mm(grip())
        view.photo.size_mm.setText(f"{across + 9:g} x {down:g}")
        view.photo.size_mm.setFocus()
        self.key(Key.Key_Return)
        self.assertIn("by the photo of the top side", view.photo.words.text())
        view.photo.size_mm.setText(f"{across:g} x {down:g}")
        self.key(Key.Key_Return)
        self.wait(lambda: not view.photo.isVisible(), what="for the photo to be kept")

    def test_a_part_of_the_side_by_the_places_of_four_points(self) -> None:
        view = self.begin(Side.TOP)
        before = self.photo_of(Side.TOP)
        photo, true = close(Side.TOP, 31, 0.1, 0.1, 0.6)
        self.take(view, np.full(photo.shape, 60, np.uint8), Side.TOP)  # nothing to recognise
        self.assertFalse(view.photo.lay_over.isVisible())
        high, wide = photo.shape[:2]
        points = [(x * wide, y * high) for x, y in ((0.1, 0.1), (0.9, 0.1), (0.9, 0.9), (0.1, 0.9))]
        at = np.c_[np.array(points), np.ones(4)] @ true.T
        places = at[:, :2] / at[:, 2:]
        view.photo.canvas.corners = [QPointF(x, y) for x, y in points]
        view.photo.canvas.changed.emit()
        view.photo.size_mm.setText("places " + "; ".join(f"{x:.2f} {y:.2f}" for x, y in places[:3]))
        view.photo.size_mm.setFocus()
        self.key(Key.Key_Return)
        self.assertIn("3 places for", view.photo.words.text())
        view.photo.size_mm.setText("places " + "; ".join(f"{x:.2f} {y:.2f}" for x, y in places))
        self.key(Key.Key_Return)
        self.wait(lambda: not view.photo.isVisible(), what="for the photo to be laid over")
        self.assertIn("4 points fit to", view.trouble.text())
        self.assertTrue((self.photo_of(Side.TOP) != before).any())

    def test_photos_that_were_mixed_up_are_exchanged(self) -> None:
        view = self.begin(*Side)
        top, bottom = self.photo_of(Side.TOP), self.photo_of(Side.BOTTOM)
        self.window.commands.run("pack.exchange")
        self.settled()
        self.assertTrue((self.photo_of(Side.TOP) == bottom).all() and (self.photo_of(Side.BOTTOM) == top).all())
        self.assertIn("exchanged", view.trouble.text())
        self.window.commands.run("pack.back")
        self.settled()
        self.assertTrue((self.photo_of(Side.TOP) == top).all())

    def test_the_photo_lies_under_every_plan_as_strong_as_was_chosen(self) -> None:
        self.begin(Side.TOP)
        board, heat = self.window.model.board, self.window.views["rework"].heat  # type: ignore[attr-defined]
        assert board is not None
        heat.photos.load(board)
        self.wait(lambda: Side.TOP in heat.plan.photos, what="for the photo under the plan of the heat")
        self.window.show_view("board")
        plan = self.window.views.board.plan
        self.wait(lambda: Side.TOP in plan.photos, what="for the photo under the plan")
        self.window.commands.run("board.photo")
        heat.photos.load(board)
        heat.photos.as_chosen()
        self.assertEqual(heat.plan.photo_share, plan.photo_share)
        self.assertNotEqual(plan.photo_share, 0.35)

    def test_a_photo_does_not_go_into_the_pack_of_another_job(self) -> None:
        view = self.begin(Side.TOP)
        read: list[Callable[[object], None]] = []

        def later(_words: str, _work: object, done: Callable[[object], None], _small: bool) -> str:
            read.append(done)
            return ""

        view.open_photo(self.file(straight(Side.BOTTOM, 12)), Side.BOTTOM, later)
        opened_for = view._photo_of
        other = begin_pack(self.session.library, "Leaf", "A", "usb-c-16", "", "back off 6")
        self.window.open_job(self.session.open_new_job("SLS-0832", other))
        self.settled()
        self.window.show_view("packmaking")
        read[0](image_of(np.zeros((60, 80, 4), np.uint8)))
        self.assertFalse(view.photo.isVisible())
        view._keep_photo((opened_for, (62.0, 31.0), b"jpeg"))
        self.assertFalse(self.session.library.has_photo(other, Side.BOTTOM))

    def test_one_photo_is_not_exchanged(self) -> None:
        view = self.begin(Side.TOP)
        self.window.commands.run("pack.exchange")
        self.assertIn("Both sides need a photo", view.trouble.text())


if __name__ == "__main__":
    unittest.main()
