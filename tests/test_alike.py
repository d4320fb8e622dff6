"""Parts that look alike on a rendered photo: found, told from others, taken or left by keys; steps of a pack back."""

from __future__ import annotations

import unittest
from collections import defaultdict
from dataclasses import replace
from pathlib import Path
from unittest import mock

import cv2
import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import Board, Component, ComponentKind, Side
from dextrum.core.packmaking.alike import Alike, alike
from dextrum.core.packmaking.first_rung import resized
from dextrum.core.packmaking.likes import PhotoOverBoard, PlaceOfLike, free_designators, with_likes
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.desktop.frame.picture_file import as_jpeg
from dextrum.desktop.packmaking.alike_panel import AlikePanel
from dextrum.store.packs.pack_writer import step_back
from dextrum.world.photograph import PIXELS_A_MM, Holding, Picture, from_above, photographed
from tests.support import DUO, LEAF, LONG, ORB, duo_board, library, library_of
from tests.test_packmaking import first_rung
from tests.window_support import Key, WindowCase

REACH_PIXELS = 13
"""Nearer to a part's middle is a hit: less than half a millimetre."""
LOOKS_LIKE = {ComponentKind.LINK: ComponentKind.RESISTOR}


def stands_clear(part: Component, others: list[Component]) -> bool:
    return not any(one is not part and abs(one.x_mm - part.x_mm) < (one.width_mm + part.width_mm) / 2
                   and abs(one.y_mm - part.y_mm) < (one.height_mm + part.height_mm) / 2 for one in others)


def set_right(flat: Picture, seed: int, holding: Holding) -> Picture:
    """Photographed, and its corners chosen to a pixel or two."""
    photo, corners = photographed(flat, seed, holding)
    high, wide = flat.shape[:2]
    chosen = corners + np.random.default_rng((seed, 8)).normal(0.0, 1.5, (4, 2))
    turn = cv2.getPerspectiveTransform(chosen.astype(np.float32),
                                       np.array([[0, 0], [wide, 0], [wide, high], [0, high]], np.float32))
    return cv2.warpPerspective(photo, turn, (wide, high)).astype(np.uint8)


def found_and_false(board: Board, side: Side, seed: int, holding: Holding) -> tuple[int, int, int]:
    """Of every kind of part of which there are three: like ones proposed, like ones there, proposed that are none."""
    here = [part for part in board.components if part.side is side and not part.undescribed]
    kinds: dict[tuple[str, ...], list[Component]] = defaultdict(list)
    for part in here:
        if stands_clear(part, here):
            size = sorted((part.width_mm, part.height_mm))
            kinds[LOOKS_LIKE.get(part.kind, part.kind).value, *map(str, size)].append(part)
    flat = from_above(board, side, seed)
    picture = set_right(flat, seed, holding)
    over = PhotoOverBoard(board, side, picture.shape[1], picture.shape[0])
    draw = np.random.default_rng((seed, 9))
    found = like = false = 0
    for parts in kinds.values():
        if len(parts) < 3:
            continue
        mark = parts[int(draw.integers(len(parts)))]
        x, y = np.array(over.pixel(mark.x_mm, mark.y_mm)) + draw.normal(0.0, 2.0, 2)
        proposed = alike(picture, (float(x), float(y)), over.size(mark.width_mm, mark.height_mm))
        true = [over.pixel(part.x_mm, part.y_mm) for part in parts if part is not mark]
        found += sum(any(near(one, place) for one in proposed) for place in true)
        like += len(true)
        false += sum(not any(near(one, place) for place in true) for one in proposed)
    return found, like, false


def near(one: Alike, place: tuple[float, float]) -> bool:
    return float(np.hypot(one.x - place[0], one.y - place[1])) < REACH_PIXELS


class AlikeTest(unittest.TestCase):
    def test_most_are_found_and_few_others_on_rendered_boards(self) -> None:
        boards = ((DUO, Side.TOP, 300), (DUO, Side.BOTTOM, 301), (ORB, Side.TOP, 302), (LEAF, Side.TOP, 303))
        for holding in (Holding(), Holding(0.1, 12.0, 0.6, 1.4)) if LONG else (Holding(0.1, 12.0, 0.6, 1.4),):
            told = np.sum([found_and_false(library().board(pack), side, seed, holding)
                           for pack, side, seed in boards], axis=0)
            found, like, false = told
            self.assertGreater(like, 30)
            self.assertGreaterEqual(found / like, 0.9)
            self.assertLessEqual(false / (found + false), 0.1)

    def test_turned_ones_are_found_and_told_to_be_turned(self) -> None:
        picture = np.full((200, 300, 3), (30, 80, 50), np.uint8)
        for x, y, wide, high in ((50, 50, 30, 14), (150, 60, 14, 30), (240, 140, 30, 14)):
            picture[y - high // 2:y + high // 2, x - wide // 2:x + wide // 2] = (200, 200, 196)
            inner = (wide // 4, high // 2) if wide > high else (wide // 2, high // 4)
            picture[y - inner[1]:y + inner[1], x - inner[0]:x + inner[0]] = (170, 130, 90)
        found = alike(picture, (50.0, 50.0), (30.0, 14.0))
        self.assertEqual({(round(one.x / 10), round(one.y / 10), one.turned) for one in found},
                         {(15, 6, True), (24, 14, False)})
        left = alike(picture, (50.0, 50.0), (30.0, 14.0), ((240.0, 140.0),))
        self.assertEqual([one.turned for one in left], [True], "what is placed already is not proposed")

    def test_a_part_put_a_little_off_is_not_proposed_again(self) -> None:
        picture = np.full((400, 600, 3), (30, 80, 50), np.uint8)
        for column in range(4):
            for row in range(3):  # a bank, 0.7 mm apart at 40 pixels a millimetre
                x, y = 60 + 140 * column, 120 + 28 * row
                picture[y - 10:y + 10, x - 20:x + 20] = (200, 200, 196)
                picture[y - 10:y + 10, x - 10:x + 10] = (168, 128, 88)
        there = (60.0, 148.0 + 13.0)  # put a third of a millimetre beside where it lies
        found = alike(picture, (200.0, 120.0), (40.0, 20.0), [there])
        self.assertEqual(len(found), 10)
        self.assertFalse(any(abs(one.x - 60) < 20 and abs(one.y - 148) < 10 for one in found))

    def test_nothing_but_board_proposes_nothing(self) -> None:
        grain = np.random.default_rng(3).normal(80, 4, (120, 160, 3)).clip(0, 255).astype(np.uint8)
        self.assertEqual(alike(grain, (60.0, 60.0), (20.0, 10.0)), ())
        with self.assertRaisesRegex(ValueError, "nothing stands out"):
            alike(np.full((120, 160, 3), 80, np.uint8), (60.0, 60.0), (20.0, 10.0))

    def test_what_can_not_be_compared_is_said(self) -> None:
        picture = np.zeros((100, 100, 3), np.uint8)
        for middle, size in (((50, 50), (9, 3)), ((300, 50), (20, 10)), ((50, 50), (120, 120))):
            with self.assertRaisesRegex(ValueError, "expected"):
                alike(picture, middle, size)


class PlacedTest(unittest.TestCase):
    def test_designators_count_on_past_those_that_are_there(self) -> None:
        board = with_part(first_rung(), parse_part("C15 ? GND"), Side.TOP, 9.0, 9.0)
        self.assertEqual(free_designators(board, "C14", 3), ("C16", "C17", "C18"))
        with self.assertRaisesRegex(ValueError, "expected"):
            free_designators(board, "X", 1)

    def test_nets_are_unknown_and_turned_ones_lie_turned(self) -> None:
        board = with_part(first_rung(), parse_part("C14 CC1 GND"), Side.TOP, 9.0, 9.0)
        grown = with_likes(board, board.component_by_designator["C14"],
                           (PlaceOfLike(12.0, 9.0, False, 0.9), PlaceOfLike(15.0, 9.0, True, 0.9)))
        flat, turned = (grown.component_by_designator[name] for name in ("C15", "C16"))
        self.assertEqual((turned.width_mm, turned.height_mm), (flat.height_mm, flat.width_mm))
        self.assertTrue(all(grown.net_is_unknown(f"{part.designator}.{t.name}")
                            for part in (flat, turned) for t in part.terminals))

    def test_pixels_and_millimetres_of_both_sides(self) -> None:
        for side in Side:
            over = PhotoOverBoard(duo_board(), side, 2400, 1710)
            x, y = over.pixel(20.0, 30.0)
            self.assertTrue(np.allclose(over.place(x, y), (20.0, 30.0)))
        self.assertLess(over.pixel(70.0, 30.0)[0], x, "the bottom is seen turned over")


class FromThePhotoTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def own_board(self) -> str:
        """A pack of nothing but its port, with a photo of what is really the Duo."""
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        true = duo_board()
        board = replace(resized(self.session.library.board(pack), 80.0, 57.0))
        flat = np.ascontiguousarray(from_above(true, Side.TOP, 5, pixels_a_mm=PIXELS_A_MM))
        high, wide = flat.shape[:2]
        image = QImage(flat.data, wide, high, 3 * wide, QImage.Format.Format_RGB888).copy()
        self.session.library.keep(board, {Side.TOP: as_jpeg(image)})
        return pack

    def test_marked_once_the_others_taken_by_keys_and_the_step_taken_back(self) -> None:
        pack = self.own_board()
        self.window.open_job(self.session.open_new_job("SLS-0831", pack))
        self.settled()
        mark = duo_board().component_by_designator["C13"]
        self.window.commands.run("pack.place")
        self.window.ask.field.setText(f"C13 ? GND at {mark.x_mm - 2.0} {mark.y_mm - 2.0}")  # its outline begins at 2 2
        self.key(Key.Key_Return)
        self.application.processEvents()
        self.key(Key.Key_Escape)
        self.window.commands.run("pack.alike")
        self.assertEqual(self.window.ask.field.text(), "C13", "the one that was placed last")
        self.window.ask.field.setText("C99")
        self.key(Key.Key_Return)
        self.assertIn("no part on the plan", self.window.ask.trouble.text())
        self.window.ask.field.setText("c13")
        self.key(Key.Key_Return)
        commands = self.window.commands.packmaking
        self.wait(lambda: commands._alike is not None and commands._alike.isVisible(), what="for what looks alike")
        panel = commands._alike
        assert isinstance(panel, AlikePanel)
        count = len(panel.places)
        self.assertGreaterEqual(count, 13)
        self.key(Key.Key_N)
        self.key(Key.Key_Y)
        self.key(Key.Key_Backspace)
        self.assertEqual(panel.answers, [False])
        QTest.mouseClick(panel.buttons["take"], Qt.MouseButton.LeftButton)
        self.key(Key.Key_A)
        self.assertIn(f"{count - 1} of {count} taken", panel.words.text())
        self.key(Key.Key_Return)
        self.wait(lambda: self.capacitors() == count, what="for the parts")
        self.settled()
        board = self.window.model.board
        assert board is not None
        caps = [p for p in board.components if p.kind is ComponentKind.CAPACITOR]
        self.assertEqual(len(caps), count)
        self.assertEqual({p.designator for p in caps}, {f"C{k}" for k in range(13, 13 + count)})
        again = library_of(self.folder / "packs")
        self.assertEqual(again.board(pack), board, "kept")
        self.window.commands.run("pack.back")
        self.assertEqual(self.capacitors(), 1)
        self.window.commands.run("pack.back")
        self.assertEqual(self.capacitors(), 0)
        self.window.commands.run("pack.again")
        self.window.commands.run("pack.again")
        self.assertEqual(self.capacitors(), count)
        self.window.commands.run("pack.again")
        self.assertIn("No step was taken back", self.window.trail.said.text())
        self.assertTrue(self.session.library.photo(pack, Side.TOP), "the photo came along")
        self.settled()

    def test_a_crash_between_the_renames_of_a_step_loses_nothing(self) -> None:
        pack = self.own_board()
        folder = self.folder / "packs"
        grown = with_part(self.session.library.board(pack), parse_part("C14 ? GND"), Side.TOP, 9.0, 9.0)
        self.session.library.keep(grown)
        real, calls = Path.rename, []

        def dies(path: Path, target: Path) -> Path:
            calls.append(path)
            if len(calls) == turn:
                raise KeyboardInterrupt
            return real(path, target)

        for turn in (2, 3):
            calls.clear()
            with mock.patch.object(Path, "rename", dies), self.assertRaises(KeyboardInterrupt):
                step_back(folder, pack)
            again = library_of(folder).board(pack)
            self.assertEqual("C14" in again.component_by_designator, turn == 2)
            if turn == 2:
                (folder / f".{pack}.new").rename(calls[0])  # as it was before this try

    def capacitors(self) -> int:
        board = self.window.model.board
        assert board is not None
        return sum(p.kind is ComponentKind.CAPACITOR for p in board.components)

    def test_esc_places_nothing_and_without_a_photo_it_is_said(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.window.open_job(self.session.open_new_job("SLS-0832", pack))
        self.settled()
        self.window.commands.run("pack.alike")
        self.window.ask.field.setText("J1")
        self.key(Key.Key_Return)
        self.wait(lambda: "no photo" in self.window.problem.toolTip(), what="for the words")


if __name__ == "__main__":
    unittest.main()
