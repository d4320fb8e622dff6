"""One photo over another of the same board, and a camera's picture as it comes."""

from __future__ import annotations

import unittest
from functools import cache
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

import cv2
import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QItemSelectionModel
from PySide6.QtGui import QImage

from dextrum.app.photos.laid_over import Grey, fitted, moved
from dextrum.core.board import Board, Side
from dextrum.desktop.photos.view import PhotosView
from dextrum.world.photograph import Holding, Picture, from_above, photographed
from tests.support import DUO, duo_board, library
from tests.window_support import SHIFT, Key, WindowCase

ROUGH = Holding(0.1, 12.0, 0.6, 1.5)


@cache
def flat(side: Side, missing: frozenset[str]) -> Picture:
    """The Duo from above."""
    return from_above(duo_board(), side, 7, missing)


def photo(board: Board, held: int, missing: frozenset[str] = frozenset(), holding: Holding | None = None,
          share: float = 1.0, side: Side = Side.TOP) -> tuple[Picture, NDArray[np.float64]]:
    """A drawn photo of one unit, and where its board's corners are, in widths of the photo."""
    taken, corners = photographed(flat(side, missing) if board is duo_board() else from_above(board, side, 7, missing),
                                  held, holding)
    small = cv2.resize(taken, None, fx=share, fy=share, interpolation=cv2.INTER_AREA)
    return np.asarray(small, np.uint8), corners / taken.shape[1]


def grey(picture: Picture) -> Grey:
    return np.asarray(cv2.cvtColor(picture, cv2.COLOR_RGB2GRAY), np.uint8)


class FitTest(unittest.TestCase):
    def off_by_mm(self, first: tuple[Picture, NDArray[np.float64]], second: tuple[Picture, NDArray[np.float64]],
                  board: Board) -> float:
        """How far the board's worst corner lies from where it should, in mm."""
        found = fitted(grey(first[0]), grey(second[0]))
        assert found is not None
        laid = np.c_[second[1], np.ones(4)] @ found.T
        wide_mm = max(x for x, _ in board.outline_mm) - min(x for x, _ in board.outline_mm)
        a_mm = np.linalg.norm(first[1][1] - first[1][0]) / wide_mm
        return float(np.linalg.norm(laid[:, :2] / laid[:, 2:] - first[1], axis=1).max() / a_mm)

    def test_two_hands_and_parts_that_are_gone(self) -> None:
        board = duo_board()
        before = photo(board, 71)
        self.assertLess(self.off_by_mm(before, photo(board, 72, frozenset({"F1", "FL1", "U1"})), board), 0.6)

    def test_poor_light_and_a_smaller_picture(self) -> None:
        board = duo_board()
        self.assertLess(self.off_by_mm(photo(board, 73, holding=ROUGH), photo(board, 74, holding=ROUGH, share=0.5),
                                       board), 1.0)

    def test_upside_down(self) -> None:
        board = duo_board()
        turned, corners = photo(board, 76)
        high = turned.shape[0] / turned.shape[1]
        self.assertLess(self.off_by_mm(photo(board, 75), (np.ascontiguousarray(np.rot90(turned, 2)),
                                                          np.array([1.0, high]) - corners), board), 0.6)

    def test_what_is_not_the_same_is_not_fitted(self) -> None:
        duo, orb = photo(duo_board(), 77)[0], photo(library().board("bramlet-orb-a"), 78)[0]
        self.assertIsNone(fitted(grey(duo), grey(orb)))
        self.assertIsNone(fitted(grey(duo), grey(photo(duo_board(), 79, side=Side.BOTTOM)[0])))
        plain = np.full((300, 400), 128, np.uint8)
        self.assertIsNone(fitted(plain, plain))
        self.assertIsNone(fitted(grey(duo), np.zeros((2, 2), np.uint8)))

    def test_by_hand_it_turns_round_a_place_and_back(self) -> None:
        start = np.eye(3)
        once = moved(start, right=0.1, degrees=10.0, larger=1.2, middle=(0.5, 0.5))
        at = once @ np.array([0.5, 0.5, 1.0])
        np.testing.assert_allclose(at, [0.6, 0.5, 1.0])
        self.assertAlmostEqual(float(np.linalg.det(once[:2, :2])), 1.44)
        back = moved(moved(start, degrees=10.0), degrees=-10.0)
        np.testing.assert_allclose(back, start, atol=1e-12)


class PhotosCase(WindowCase):
    def setUp(self) -> None:
        super().setUp()
        self.window.open_job(self.session.open_new_job("SLS-0931", DUO))
        self.settled()

    def view(self) -> PhotosView:
        self.window.show_view("photos")
        view = self.window.views["photos"]
        assert isinstance(view, PhotosView)
        return view

    def kept(self, count: int) -> None:
        self.wait(lambda: len(self.window.model.facts.photos) == count, what=f"for {count} photos")


class OverTest(PhotosCase):
    def both(self, first: Picture, second: Picture) -> PhotosView:
        for k, picture in enumerate((first, second)):
            high, wide = picture.shape[:2]
            QImage(picture.tobytes(), wide, high, 3 * wide, QImage.Format.Format_RGB888).save(
                str(self.folder / f"{k}.png"))
            self.window.commands.photos.add_file(self.folder / f"{k}.png")
            self.kept(k + 1)
        view = self.view()
        view.list.setCurrentIndex(view.photos.index(0))
        view.list.selectionModel().select(view.photos.index(1), QItemSelectionModel.SelectionFlag.Select)
        self.wait(lambda: len(view.canvas.images) == 2, what="for both")
        return view

    def test_over_one_another_they_are_fitted_and_corrected_by_hand(self) -> None:
        view = self.both(photo(duo_board(), 81, share=0.6)[0], photo(duo_board(), 82, share=0.5)[0])
        self.window.commands.run("photo.over")
        self.wait(lambda: view.canvas.fit is not None, 30.0, "for the fit")
        self.assertIn("lies on itself", view.detail.text())
        fit = view.canvas.fit
        assert fit is not None
        view.canvas.setFocus()
        self.key(Key.Key_Right, SHIFT)
        moved_by = view.canvas.fit
        assert moved_by is not None
        self.assertAlmostEqual(moved_by.m31() - fit.m31(), 0.004, places=6)
        self.key(Key.Key_Period)
        self.key(Key.Key_BracketRight)
        self.assertFalse(view.canvas.grab().isNull())
        self.window.commands.run("photo.over")
        self.assertIsNone(view.canvas.fit)
        self.window.commands.run("photo.over")
        self.assertIsNotNone(view.canvas.fit, "kept while the window is open")

    def test_two_of_different_things_say_so_and_are_moved_by_hand(self) -> None:
        view = self.both(photo(duo_board(), 83, share=0.4)[0], np.full((200, 300, 3), 90, np.uint8))
        self.window.commands.run("photo.fit")
        self.wait(lambda: "enough of the same" in view.trouble.text(), 30.0, "to be told")
        self.assertIsNone(view.canvas.fit)
        view.canvas.setFocus()
        self.key(Key.Key_Down, SHIFT)
        self.assertIsNotNone(view.canvas.fit)


@cache
def film_of(frames: int) -> bytes:
    """A film that gets redder again and again."""
    with TemporaryDirectory() as folder:
        place = Path(folder) / "film.avi"
        writer = cv2.VideoWriter(str(place), cv2.VideoWriter.fourcc(*"MJPG"), 25.0, (320, 240))
        pictures = [np.full((240, 320, 3), (0, 0, 40 + 5 * k), np.uint8) for k in range(30)]
        for k in range(frames):
            writer.write(pictures[k % 30])
        writer.release()
        return place.read_bytes()


class CameraTest(PhotosCase):
    """A camera's place is taken by a film: the same library reads both."""

    def film(self, frames: int) -> None:
        place = str(self.folder / "film.avi")
        Path(place).write_bytes(film_of(frames))
        real = cv2.VideoCapture
        patched = patch("cv2.VideoCapture", lambda _number: real(place))
        patched.start()
        self.addCleanup(patched.stop)

    def ask(self, number: str) -> PhotosView:
        self.window.commands.run("photo.camera")
        self.window.ask.field.setText(number)
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        return self.view()

    def test_what_it_sees_is_shown_until_it_is_taken(self) -> None:
        self.film(2000)
        view = self.ask("0")
        self.wait(lambda: len(view.canvas.images) == 1, 20.0, "for a picture")
        self.assertIn("Enter takes the picture", view.detail.text())
        view.canvas.setFocus()
        self.key(Key.Key_Return)
        self.kept(1)
        self.assertIsNone(view.camera)
        picture = QImage.fromData(self.store.picture(self.window.model.facts.photos[0][0].sha256))
        self.assertEqual((picture.width(), picture.height()), (320, 240))
        colour = picture.pixelColor(100, 100)
        self.assertGreater(colour.red(), colour.blue() + 20, "red first")

    def test_escape_and_another_page_let_go_of_it(self) -> None:
        self.film(2000)
        view = self.ask("0")
        self.wait(lambda: len(view.canvas.images) == 1, 20.0, "for a picture")
        view.canvas.setFocus()
        self.key(Key.Key_Escape)
        self.assertIsNone(view.camera)
        view = self.ask("0")
        self.wait(lambda: view.camera is not None, what="for the camera")
        self.window.show_view("port")
        self.assertIsNone(view.camera)
        self.assertEqual(len(self.window.model.facts.photos), 0)

    def test_one_that_is_not_there_or_ends_is_told(self) -> None:
        view = self.ask("99")
        self.assertIn("from 0 to 15", self.window.ask.trouble.text())
        self.key(Key.Key_Escape)
        view = self.ask("15")
        self.wait(lambda: "no camera 15" in view.trouble.text(), 20.0, "to be told")
        self.film(5)
        view = self.ask("0")
        self.wait(lambda: "no picture any more" in view.trouble.text(), 20.0, "to be told")
        self.assertIsNone(view.camera)


if __name__ == "__main__":
    unittest.main()
