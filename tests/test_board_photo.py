"""A photo of a board: set right from its corners, kept as a picture and nothing else, and under the plan."""

from __future__ import annotations

import unittest
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPolygonF, QTransform
from PySide6.QtTest import QTest

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import Side
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.packmaking.first_rung import resized
from dextrum.core.packmaking.second_rung import with_good_unit
from dextrum.desktop.frame.picture_file import as_jpeg, read_photo
from dextrum.desktop.packmaking.photo import checked_corners, parse_size, set_right
from dextrum.errors import EntryRefusedError, ImportRefusedError
from tests.support import duo_board, library_of
from tests.test_packmaking import first_rung
from tests.window_support import Key, WindowCase, application

CORNERS = (QPointF(200, 150), QPointF(1010, 110), QPointF(1100, 610), QPointF(150, 640))
WIDE, HIGH = 62.0, 31.0
DOTS = ((10.0, 8.0), (31.0, 15.5), (55.0, 25.0))


def taken() -> QImage:
    """A photo of a board of 62 x 31 mm with three white parts, held at an angle, with noise."""
    flat = QImage(620, 310, QImage.Format.Format_RGB32)
    flat.fill(QColor(20, 90, 40))
    painter = QPainter(flat)
    for x, y in DOTS:
        painter.fillRect(round(x * 10) - 12, round(y * 10) - 12, 24, 24, QColor(240, 240, 240))
    painter.end()
    photo = QImage(1200, 800, QImage.Format.Format_RGB32)
    photo.fill(QColor(90, 80, 70))
    tilt = QTransform()
    QTransform.quadToQuad(QPolygonF([QPointF(0, 0), QPointF(620, 0), QPointF(620, 310), QPointF(0, 310)]),
                          QPolygonF(list(CORNERS)), tilt)
    painter = QPainter(photo)
    painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
    painter.setTransform(tilt)
    painter.drawImage(0, 0, flat)
    painter.end()
    return photo


def bright_at(image: QImage, x_mm: float, y_mm: float) -> float:
    scale = image.width() / WIDE
    return QColor(image.pixel(round(x_mm * scale), round(y_mm * scale))).lightnessF()


class SetRightTest(unittest.TestCase):
    def setUp(self) -> None:
        application()
        folder = TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def test_parts_lie_where_they_are_to_a_quarter_of_a_millimetre(self) -> None:
        flat = set_right(taken(), CORNERS, WIDE, HIGH)
        self.assertAlmostEqual(flat.width() / flat.height(), WIDE / HIGH, places=2)
        scale = flat.width() / WIDE
        for x, y in DOTS:
            self.assertGreater(bright_at(flat, x, y), 0.8)
            row = [bright_at(flat, x + k / 20.0, y) > 0.6 for k in range(-40, 41)]
            middle = x + (np.flatnonzero(row).mean() - 40) / 20.0
            self.assertAlmostEqual(middle, x, delta=0.25)
        self.assertLess(bright_at(flat, 20.0, 20.0), 0.5)
        self.assertGreater(scale, 20.0)

    def test_corners_that_are_no_board_are_refused(self) -> None:
        for corners in (CORNERS[:3], (CORNERS[0], CORNERS[2], CORNERS[1], CORNERS[3]), CORNERS[::-1],
                        (CORNERS[0], CORNERS[0], CORNERS[2], CORNERS[3])):
            with self.assertRaises(EntryRefusedError):
                checked_corners(corners)
        for text in ("", "62", "62 x", "0.1 x 3", "62 x 9999"):
            with self.assertRaises(EntryRefusedError):
                parse_size(text)
        self.assertEqual(parse_size("62,5 mm × 31"), (62.5, 31.0))

    def test_only_the_picture_is_kept(self) -> None:
        image = taken()
        image.setText("GPS", "54.1N 2.8W")
        place = self.folder / "a.png"
        image.save(str(place))
        self.assertIn(b"54.1N", place.read_bytes())
        kept = as_jpeg(set_right(read_photo(place), CORNERS, WIDE, HIGH))
        self.assertNotIn(b"54.1N", kept)
        self.assertNotIn(b"Exif", kept)
        self.assertFalse(QImage.fromData(kept).textKeys())

    def test_what_is_no_photo_is_refused_in_words(self) -> None:
        (self.folder / "no.png").write_bytes(b"hello")
        (self.folder / "half.png").write_bytes(self.picture().read_bytes()[:3000])
        (self.folder / "a.svg").write_text("<svg xmlns='http://www.w3.org/2000/svg' width='9' height='9'/>")
        for name in ("no.png", "half.png", "a.svg", "gone.png"):
            with self.subTest(name), self.assertRaises(ImportRefusedError):
                read_photo(self.folder / name)
        draw = np.random.default_rng(2)
        whole = bytearray(self.picture().read_bytes())
        for _ in range(8):
            bad = bytearray(whole)
            for at in draw.integers(0, len(bad), 20):
                bad[int(at)] = int(draw.integers(256))
            (self.folder / "bad.png").write_bytes(bytes(bad))
            try:
                read_photo(self.folder / "bad.png")
            except ImportRefusedError:
                continue

    def picture(self) -> Path:
        place = self.folder / "good.png"
        taken().save(str(place))
        return place


class KeptTest(unittest.TestCase):
    def test_a_photo_stays_when_the_pack_grows_and_goes_along_as_a_zip(self) -> None:
        with TemporaryDirectory() as name:
            library = library_of(Path(name))
            pack = begin_pack(library, "Grip", "B", "usb-c-16")
            library.keep(resized(library.board(pack), 62.0, 31.0), {Side.TOP: b"jpeg"})
            library.keep(library.board(pack))
            self.assertEqual((library.photo(pack, Side.TOP), library.photo(pack, Side.BOTTOM)), (b"jpeg", b""))
            self.assertEqual(library_of(Path(name)).board(pack).outline_mm[2], (62.0, 31.0))

    def test_the_size_moves_what_stood_somewhere_and_nothing_that_is_known(self) -> None:
        board = with_good_unit(first_rung(), {"J1.A5": 0.5, "J1.A2": 0.4})
        large = resized(resized(board, 120.0, 60.0), 40.0, 20.0)
        self.assertEqual(list(inconsistencies(large)), [])
        for part in large.components:
            self.assertTrue(0 <= part.x_mm <= 40.0 and 0 <= part.y_mm <= 20.0, part.designator)
        self.assertIs(resized(duo_board(), 10.0, 10.0), duo_board())


class PhotoWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_from_the_file_to_the_plan(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.window.open_job(self.session.open_new_job("SLS-0811", pack))
        self.settled()
        place = self.folder / "top.png"
        taken().save(str(place))
        self.window.commands.run("pack.photo")
        self.type(str(place))
        self.key(Key.Key_Return)
        view = self.window.views["packmaking"]
        panel = view.photo  # type: ignore[attr-defined]
        self.wait(panel.isVisible, what="for the photo")
        canvas = panel.canvas
        frame, scale = canvas._frame(), canvas._scale()
        self.assertFalse(panel.use.isEnabled())
        for corner in CORNERS:
            QTest.mouseClick(canvas, Qt.MouseButton.LeftButton,
                             pos=(frame.topLeft() + corner * scale).toPoint())
        self.assertTrue(panel.use.isEnabled())
        self.type("62 by 31")
        self.key(Key.Key_Return)
        self.assertIn("no size of a board", panel.words.text())
        panel.size_mm.clear()
        panel.size_mm.setFocus()
        self.type("62 x 31")
        self.key(Key.Key_Return)
        self.wait(lambda: not panel.isVisible(), what="for the photo to be kept")
        board = self.window.model.board
        assert board is not None
        self.assertEqual(board.outline_mm[2], (62.0, 31.0))
        self.assertTrue(canvas.image.isNull(), "nothing of it stays in memory")
        self.window.show_view("board")
        plan = self.window.views.board.plan
        self.wait(lambda: Side.TOP in plan.photos, what="for the photo under the plan")
        self.application.processEvents()
        x, y = DOTS[1]

        def bright() -> float:
            image = plan.grab().toImage()
            at = plan.place(x, y, Side.TOP) * image.devicePixelRatio()
            return QColor(image.pixel(at.toPoint())).lightnessF()

        shown = {}
        for _ in range(3):
            self.window.commands.run("board.photo")
            self.application.processEvents()
            shown[plan.photo_share] = bright()
        self.assertEqual(set(shown), {0.0, 0.35, 0.7})
        self.assertNotEqual(round(shown[0.7], 2), round(shown[0.0], 2))
        # The corners are chosen with keys as well: back, and a nudge.
        self.window.show_view("packmaking")

    def test_keys_of_the_photo_and_a_bad_file(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.window.open_job(self.session.open_new_job("SLS-0812", pack))
        self.settled()
        self.window.show_view("packmaking")
        view = self.window.views["packmaking"]
        view.open_photo(self.folder / "gone.png", Side.TOP, self.window.long_work.run)  # type: ignore[attr-defined]
        self.wait(lambda: "can't be read" in self.window.problem.text(), what="for the refusal")
        panel = view.photo  # type: ignore[attr-defined]
        panel.open_for("top", taken())
        self.application.processEvents()
        QTest.mouseClick(panel.canvas, Qt.MouseButton.LeftButton, pos=panel.canvas.rect().center())
        before = QPointF(panel.canvas.corners[0])
        self.key(Key.Key_Right)
        self.assertGreater(panel.canvas.corners[0].x(), before.x())
        self.key(Key.Key_Backspace)
        self.assertEqual(panel.canvas.corners, [])
        self.assertIn("top left", panel.words.text())
