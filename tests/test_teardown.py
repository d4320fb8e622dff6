"""Opening and closing a unit: the way in and back, what is missing or too long, the mat in true size, an own map."""

from __future__ import annotations

import re
import unittest
from dataclasses import replace

from pypdf import PdfReader
from PySide6.QtCore import QPointF, Qt
from PySide6.QtGui import QImage
from PySide6.QtTest import QTest

from dextrum.app.handover.handover import make_sheet
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.fasteners import with_fastener
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import AccessLevel, Board, Fastener
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.teardown.walk import (
    level_reached,
    missing_words,
    teardown_state,
    too_long_for,
)
from dextrum.core.trail import Fastened, Payload
from dextrum.desktop.teardown.mat import HEAD_MM, MARGIN_MM, write_mat
from dextrum.desktop.teardown.view import TeardownView
from dextrum.errors import EntryRefusedError
from tests.support import DUO, LEAF, START, duo_advice, duo_board, library, library_of, trail_of
from tests.test_packmaking import first_rung
from tests.test_pictures import StoreCase
from tests.test_safety import OPENED
from tests.window_support import SHIFT, Key, WindowCase, application

MM = 25.4 / 72.0


def facts_of(*payloads: Payload) -> JobFacts:
    return job_facts(trail_of(OPENED, *payloads))


def out(*names: str) -> tuple[Fastened, ...]:
    return tuple(Fastened(name, "out") for name in names)


class WalkTest(unittest.TestCase):
    def test_in_by_the_packs_order_and_back_by_its_reverse(self) -> None:
        board = duo_board()
        order = [one.id for one in board.fasteners]
        facts = facts_of()
        walked = []
        entries: list[Payload] = []
        while (following := teardown_state(board, facts, "in").next) is not None:
            walked.append(following.id)
            entries.append(Fastened(following.id, "out"))
            facts = facts_of(*entries)
        self.assertEqual(walked, order)
        walked = []
        while (following := teardown_state(board, facts, "back").next) is not None:
            walked.append(following.id)
            entries.append(Fastened(following.id, "in"))
            facts = facts_of(*entries)
        self.assertEqual(walked, order[::-1])
        self.assertEqual(teardown_state(board, facts, "back").missing, ())

    def test_a_unit_that_is_opened_a_second_time_is_walked_again(self) -> None:
        board = duo_board()
        names = [one.id for one in board.fasteners]
        closed = (*out(*names), *(Fastened(name, "in") for name in reversed(names)))
        now = teardown_state(board, facts_of(*closed), "in").next
        assert now is not None
        self.assertEqual(now.id, names[0])
        now = teardown_state(board, facts_of(*closed, *out(names[0])), "in").next
        assert now is not None
        self.assertEqual(now.id, names[1])

    def test_what_is_missing_is_not_asked_for_on_the_way_back_and_stands_on_the_sheet(self) -> None:
        board = duo_board()
        payloads = (*out("S1", "S2"), Fastened("S3", "missing"), Fastened("S4", "rounded"),
                    Fastened("S5", "wrong_length", 6.0))
        facts = facts_of(*payloads)
        back = []
        entries: list[Payload] = list(payloads)
        while (following := teardown_state(board, facts, "back").next) is not None:
            back.append(following.id)
            entries.append(Fastened(following.id, "in"))
            facts = facts_of(*entries)
        self.assertEqual(back, ["S5", "S4", "S2", "S1"])
        self.assertEqual(len(missing_words(board, facts)), 3)
        found = make_sheet(board, duo_advice().model.references, trail_of(OPENED, *entries), "b", "i", START).found
        self.assertTrue(any("S3" in line and "missing" in line for line in found))
        self.assertTrue(any("S5" in line and "6 mm" in line for line in found))
        self.assertNotIn("S3", (facts_of(*payloads, Fastened("S3", "in")).fasteners_amiss or {}), "one was found")

    def test_a_long_screw_is_warned_of_where_its_hole_reaches_the_board(self) -> None:
        board = duo_board()
        by_id = {one.id: one for one in board.fasteners}
        facts = facts_of(*out("S1", "S5", "S6"))
        self.assertEqual(too_long_for(board, facts, by_id["S5"]), 6.0, "S1 is 6 mm and lies beside it")
        self.assertEqual(too_long_for(board, facts, by_id["S1"]), 0.0)
        facts = facts_of(*out("S5", "S6"))
        self.assertEqual(too_long_for(board, facts, by_id["S5"]), 0.0, "only those of its own length are out")
        facts = facts_of(Fastened("S5", "wrong_length", 5.0), *out("S6"))
        self.assertEqual(too_long_for(board, facts, by_id["S6"]), 5.0, "the wrong one that was found")
        self.assertEqual(too_long_for(board, facts_of(*out("S1"), Fastened("S1", "in")), by_id["S5"]), 0.0)

    def test_a_level_is_reached_once_all_of_it_are_undone(self) -> None:
        board = duo_board()
        first = [one.id for one in board.fasteners if one.access == "back_off"]
        self.assertEqual(level_reached(board, facts_of(*out(*first[:-1]))), "")
        self.assertEqual(level_reached(board, facts_of(*out(*first[:-1]), Fastened(first[-1], "missing"))), "back_off")
        self.assertEqual(level_reached(board, facts_of(*out(*(one.id for one in board.fasteners)))), "board_out")


class PackTest(unittest.TestCase):
    def test_what_can_not_be_is_said_by_the_check(self) -> None:
        board = duo_board()
        first = board.fasteners[0]
        for wrong, words in ((replace(first, access="nowhere"), "access level"), (replace(first, x_mm=500.0), "beside"),
                             (replace(first, id="S2"), "twice"), (replace(first, length_mm=20.0), "hole"),
                             (replace(first, access="board_out"), "before")):
            said = [f"{i.place} {i.wrong}" for i in inconsistencies(
                replace(board, fasteners=(wrong, *board.fasteners[1:])))]
            with self.subTest(words):
                self.assertTrue(any(words in line for line in said), said)
        for of in ({"x_mm": -1.0}, {"length_mm": 99.0}, {"deepest_mm": -1.0}):
            with self.assertRaises(ValueError):
                replace(first, **of)  # type: ignore[arg-type]

    def test_a_map_line_by_line(self) -> None:
        board: Board = first_rung()
        for text in ("screw 6 mm cross 00 corner of the back at 8 8", "screw 3,5mm at most 4 mm at 20 8",
                     "ribbon cell at 30 20"):
            board, made = with_fastener(board, text)
        first, second, third = board.fasteners
        self.assertEqual((first.id, first.length_mm, first.head, first.words), ("S1", 6.0, "cross 00",
                                                                                "corner of the back"))
        self.assertEqual((second.id, second.length_mm, second.deepest_mm), ("S2", 3.5, 4.0))
        self.assertEqual((third, made.id), (made, "R1"))
        self.assertEqual(inconsistencies(board), ())
        deep = replace(board, access_levels=(*board.access_levels, AccessLevel("out", "board out", 5.0)))
        deeper, made = with_fastener(deep, "screw 3 mm at 9 9", deep.access_levels[1].id)
        self.assertEqual(made.access, "out", "what follows an opened level belongs to the next")
        self.assertEqual(with_fastener(deeper, "clip at 9 9")[1].access, "out", "never back up")
        for text in ("", "bolt at 3 3", "screw 6 mm", "screw 6 mm at most 4 at 3 3", "screw 99 mm at 3 3"):
            with self.subTest(text), self.assertRaises(EntryRefusedError):
                with_fastener(board, text)


class MatTest(StoreCase):
    @classmethod
    def setUpClass(cls) -> None:
        application()  # fonts need one

    def test_it_is_in_true_size(self) -> None:
        board = duo_board()
        for paper, size in (("a4", (210.0, 297.0)), ("letter", (215.9, 279.4)), ("roll62", (210.0, 297.0))):
            place = self.folder / f"{paper}.pdf"
            write_mat(board, place, paper=paper)
            page = PdfReader(place).pages[0]
            self.assertAlmostEqual(float(page.mediabox.width) * MM, size[0], delta=0.5)
            self.assertAlmostEqual(float(page.mediabox.height) * MM, size[1], delta=0.5)
            text = page.extract_text()
            self.assertIn("S1", text)
            self.assertIn("6 mm", re.sub(r"\s+", " ", text))
            # Lines as another reader sees them: the rule is 100 mm long, the case 100 by 74.
            lengths = self.lines_mm(page)
            self.assertTrue(any(abs(length - 100.0) < 0.1 for length in lengths), sorted(lengths)[-8:])
            self.assertTrue(any(abs(length - 74.0) < 0.1 for length in lengths), sorted(lengths)[-8:])

    @staticmethod
    def lines_mm(page: object) -> list[float]:
        """Lengths of straight lines that are drawn, in mm, transformations applied."""
        from pypdf.generic import ContentStream

        stream = ContentStream(page["/Contents"].get_object(), None)  # type: ignore[index]
        matrix, kept, found, at = [1.0, 0.0, 0.0, 1.0, 0.0, 0.0], [], [], (0.0, 0.0)
        for operands, operator in stream.operations:
            numbers = [float(one) for one in operands if isinstance(one, (int, float))]
            if operator == b"q":
                kept.append(list(matrix))
            elif operator == b"Q":
                matrix = kept.pop()
            elif operator == b"cm":
                a, b, c, d, e, f = numbers
                m = matrix
                matrix = [a * m[0] + b * m[2], a * m[1] + b * m[3], c * m[0] + d * m[2], c * m[1] + d * m[3],
                          e * m[0] + f * m[2] + m[4], e * m[1] + f * m[3] + m[5]]
            elif operator in (b"m", b"l"):
                x, y = numbers
                here = (x * matrix[0] + y * matrix[2], x * matrix[1] + y * matrix[3])
                if operator == b"l":
                    found.append(((here[0] - at[0]) ** 2 + (here[1] - at[1]) ** 2) ** 0.5 * MM)
                at = here
        return found

    def test_a_case_larger_than_the_page_is_refused(self) -> None:
        large = replace(duo_board(), case_mm=((0.0, 0.0), (400.0, 0.0), (400.0, 300.0)))
        with self.assertRaises(EntryRefusedError):
            write_mat(large, self.folder / "x.pdf")
        self.assertFalse((self.folder / "x.pdf").exists())
        across = replace(duo_board(), case_mm=((0.0, 0.0), (250.0, 0.0), (250.0, 297.0 - 210.0)))
        write_mat(across, self.folder / "y.pdf")
        box = PdfReader(self.folder / "y.pdf").pages[0].mediabox
        self.assertGreater(box.width, box.height)
        self.assertGreater(MARGIN_MM + HEAD_MM, 0.0)


class TeardownWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def opened(self, serial: str, pack: str) -> TeardownView:
        self.window.open_job(self.session.open_new_job(serial, pack))
        self.settled()
        self.window.show_view("teardown")
        view = self.window.views["teardown"]
        assert isinstance(view, TeardownView)
        return view

    def test_in_and_back_by_keys_and_by_mouse(self) -> None:
        view = self.opened("SLS-0981", DUO)
        board = duo_board()
        first = [one for one in board.fasteners if one.access == "back_off"]
        self.key(Key.Key_Return)
        self.assertEqual(view.plan.states, {"S1": "out"})
        self.key(Key.Key_M)
        self.key(Key.Key_R)
        self.key(Key.Key_W)
        self.type("99")
        self.key(Key.Key_Return)
        self.assertIn("0.5 to 60", view.trouble.text())
        view.length.setText("5,5 mm")
        self.key(Key.Key_Return)
        self.assertEqual(view.plan.states["S4"], "wrong_length")
        self.assertIn("4 of 12 screws out, 1 missing", view.count.text())
        # One out of order by a click on the plan.
        at = next(one for one in first if one.id == "S7")
        QTest.mouseClick(view.plan, Qt.MouseButton.LeftButton, pos=view.plan.place(at.x_mm, at.y_mm).toPoint())
        self.assertEqual(view.plan.next, "S7")
        QTest.mouseClick(view.buttons["done"], Qt.MouseButton.LeftButton)
        self.assertEqual(view.plan.states["S7"], "out")
        while view.plan.next and view.plan.next in {one.id for one in first}:
            view.plan.setFocus()
            self.key(Key.Key_Return)
        self.assertEqual(self.window.model.facts.access, "back_off", "opened by what was undone")
        self.window.commands.run("teardown.turn")
        view.plan.setFocus()
        self.assertEqual(view.plan.next, "C1")
        self.key(Key.Key_Return)
        self.assertEqual(view.plan.next, "S7")
        self.key(Key.Key_Return)
        self.assertIn("would go into the board", view.caution.text(), "S6 takes 3.5 mm, those of the corners are 6")
        while view.plan.next:
            view.plan.setFocus()
            self.key(Key.Key_Return)
        self.assertIn("1 missing", view.sentence.text())
        self.window.commands.run("trail.strike")
        self.assertTrue(view.plan.next, "undone like any entry")
        self.settled()

    def test_without_a_map_it_says_so_and_an_own_pack_gets_one(self) -> None:
        view = self.opened("SLS-0982", LEAF)
        if not library().board(LEAF).fasteners:
            self.assertIn("no map", view.sentence.text())
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        view = self.opened("SLS-0983", pack)
        self.assertIn("no map", view.sentence.text())
        self.window.commands.run("teardown.add")
        self.window.ask.field.setText("large")
        self.key(Key.Key_Return)
        self.assertIn("no size", self.window.ask.trouble.text())
        self.window.ask.field.setText("100 x 74")
        self.key(Key.Key_Return)
        self.application.processEvents()
        self.window.ask.field.setText("scrw 6 mm")
        self.key(Key.Key_Return)
        self.assertIn("begins with no kind", self.window.ask.trouble.text())
        for text in ("screw 6 mm cross 00 at 8 8", "screw 4 mm at 40 8"):
            self.window.ask.field.setText(text)
            self.key(Key.Key_Return)
            self.application.processEvents()
        # One by a click where it lies, one by arrows and Enter, one that is left.
        self.line("screw 3 mm beside the port")
        self.assertIsNotNone(view.plan.placing)
        self.key(Key.Key_M)
        self.assertEqual(len(self.window.model.facts.fasteners or {}), 2, "no key of the walk while one is placed")
        QTest.mouseClick(view.plan, Qt.MouseButton.LeftButton, pos=view.plan.place(36.0, 68.0).toPoint())
        self.application.processEvents()
        self.line("clip")
        self.key(Key.Key_Right, SHIFT)
        self.key(Key.Key_Up)
        self.key(Key.Key_Return)
        self.application.processEvents()
        self.line("screw 2 mm")
        self.key(Key.Key_Escape)
        self.assertIsNone(view.plan.placing)
        again = library_of(self.folder / "packs").board(pack)
        self.assertEqual([one.id for one in again.fasteners], ["S1", "S2", "S3", "C1"])
        self.assertEqual(dict(view.plan.states), dict.fromkeys(("S1", "S2", "S3", "C1"), "out"))
        self.assertIsInstance(again.fasteners[0], Fastener)
        self.assertAlmostEqual(again.fasteners[2].x_mm, 36.0, delta=0.5)
        self.assertAlmostEqual(again.fasteners[2].y_mm, 68.0, delta=0.5)
        self.assertEqual((again.fasteners[3].x_mm, again.fasteners[3].y_mm), (55.0, 36.5))
        self.settled()

    def line(self, text: str) -> None:
        """A line for the map without a place, which is then sought on the plan."""
        if not self.window.ask.isVisible():
            self.window.commands.run("teardown.add")
        self.window.ask.field.setText(text)
        self.window.ask.field.setFocus()
        self.key(Key.Key_Return)
        self.application.processEvents()

    def test_a_photo_lies_under_the_map_of_an_own_pack(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        view = self.opened("SLS-0984", pack)
        picture = QImage(800, 600, QImage.Format.Format_RGB32)
        picture.fill(0x202020)
        for x in range(100, 700):
            for y in range(80, 520):
                picture.setPixel(x, y, 0x909090 if (x, y) < (400, 0) else 0xD0D0D0)
        picture.save(str(self.folder / "case.png"))
        self.window.commands.run("teardown.photo")
        self.window.ask.field.setText(str(self.folder / "case.png"))
        self.key(Key.Key_Return)
        self.wait(view.photo.isVisible, 20.0, "for the photo")
        canvas = view.photo.canvas
        for corner in ((100, 80), (700, 80), (700, 520), (100, 520)):
            canvas.corners.append(QPointF(*corner))
        canvas.changed.emit()
        view.photo.size_mm.setText("90 x 66")
        view.photo.size_mm.setFocus()
        self.key(Key.Key_Return)
        self.wait(lambda: not view.plan.photo.isNull(), 20.0, "for it to lie under the map")
        board = self.window.model.board
        assert board is not None
        self.assertEqual(board.case_mm[2], (90.0, 66.0))
        library = library_of(self.folder / "packs")
        self.assertTrue(library.photo(pack, "case").startswith(b"\xff\xd8"))
        image = QImage.fromData(library.photo(pack, "case"))
        self.assertGreater(image.pixelColor(image.width() * 3 // 4, image.height() // 2).lightness(),
                           image.pixelColor(image.width() // 4, image.height() // 2).lightness())
        self.line("screw 3 mm at 10 10")
        self.key(Key.Key_Escape)
        self.assertFalse(view.plan.photo.isNull(), "a screw more does not take the photo away")
        self.wait(lambda: library_of(self.folder / "packs").photo(pack, "case") != b"", what="for the photo to stay")
        self.settled()

    def test_a_file_that_is_no_photo_is_told(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        view = self.opened("SLS-0985", pack)
        (self.folder / "no.png").write_bytes(b"not a picture")
        view.open_photo(self.folder / "no.png")
        self.wait(lambda: bool(view.trouble.text()), 20.0, "for what is wrong")
        self.assertFalse(view.photo.isVisible())


if __name__ == "__main__":
    unittest.main()
