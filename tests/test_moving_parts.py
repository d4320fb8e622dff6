"""Placed parts moved, turned, copied and put in a row: geometry by hand, and through the window by keys and mouse."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest

from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack
from dextrum.core.board import Board, Side
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.packmaking.first_rung import described
from dextrum.core.packmaking.pad_row import with_pad_row
from dextrum.core.packmaking.placing import parse_part, with_part
from dextrum.core.packmaking.port_template import TEMPLATES
from dextrum.core.packmaking.row_words import RowToPlace, parse_row
from dextrum.core.packmaking.shifting import Shift, copied, copyable, movable, row_of, shifted
from dextrum.desktop.board.board_plan import BoardPlan
from dextrum.desktop.packmaking.move_panel import MovePanel
from tests.support import library_of
from tests.window_support import Key, WindowCase


def board_with(*parts: str, side: Side = Side.TOP) -> Board:
    board = described("Grip", "B", TEMPLATES["usb-c-16"])
    for text in parts:
        part = parse_part(text)
        assert part.at is not None
        board = with_part(board, part, side, *part.at)
    return board


class ShiftTest(unittest.TestCase):
    def test_a_part_goes_with_its_points_and_keeps_its_nets(self) -> None:
        board = board_with("FL1 DP ? DM ? 1.2x1.0 at 10 10")
        moved = shifted(board, "FL1", Shift(20.0, 12.5))
        for name in ("FL1.1", "FL1.2", "FL1.3", "FL1.4"):
            before, after = board.point_by_id[name], moved.point_by_id[name]
            self.assertAlmostEqual(after.x_mm - before.x_mm, 10.0)
            self.assertAlmostEqual(after.y_mm - before.y_mm, 2.5)
            self.assertEqual(moved.net_of(name), board.net_of(name))
        self.assertEqual(replace(moved, components=board.components, points=board.points), board)

    def test_four_quarters_are_none_and_two_put_pin_one_at_the_other_end(self) -> None:
        board = board_with("C14 CC2 VBUS 1x0.5 at 10 10")
        self.assertEqual(shifted(board, "C14", Shift(10.0, 10.0, 4)), board)
        half = shifted(board, "C14", Shift(10.0, 10.0, 2))
        self.assertEqual((half.point_by_id["C14.1"].x_mm, half.point_by_id["C14.2"].x_mm),
                         (board.point_by_id["C14.2"].x_mm, board.point_by_id["C14.1"].x_mm))
        quarter = shifted(board, "C14", Shift(10.0, 10.0, 1)).component_by_designator["C14"]
        self.assertEqual((quarter.width_mm, quarter.height_mm), (0.5, 1.0))
        back = shifted(shifted(board, "C14", Shift(10.0, 10.0, 1)), "C14", Shift(10.0, 10.0, 3))
        self.assertEqual(back, board)

    def test_the_grid(self) -> None:
        self.assertEqual(Shift(10.26, 9.74).snapped(), Shift(10.5, 9.5))

    def test_what_can_not_be_moved(self) -> None:
        board = board_with("C14 CC2 GND at 10 10")
        for name in ("REST", "C99"):
            with self.subTest(name), self.assertRaises(ValueError):
                movable(board, name)
        with self.assertRaises(ValueError):
            shifted(board, "C14", Shift(500.0, 10.0))

    def test_the_port_is_moved_and_turned_with_its_contacts_and_never_copied(self) -> None:
        board = board_with("C14 CC2 GND at 10 10")
        port = movable(board, "J1")
        there = shifted(board, "J1", Shift(20.0, 12.0, 1))
        for name in ("J1.A1", "J1.B12"):
            before, after = board.point_by_id[name], there.point_by_id[name]
            self.assertAlmostEqual(after.x_mm - 20.0, -(before.y_mm - port.y_mm), places=6)
            self.assertAlmostEqual(after.y_mm - 12.0, before.x_mm - port.x_mm, places=6)
        self.assertEqual(copyable(board, "C14").designator, "C14")
        with self.assertRaisesRegex(ValueError, "is the port"):
            copyable(board, "J1")

    def test_on_the_other_side_left_is_right_and_a_copy_may_lie_there(self) -> None:
        board = board_with("U4 8 4x3 at 12 9")
        there = shifted(board, "U4", Shift(14.0, 9.0, mirrored=True))
        self.assertIs(there.component_by_designator["U4"].side, Side.BOTTOM)
        for name in ("U4.1", "U4.8"):
            before, after = board.point_by_id[name], there.point_by_id[name]
            self.assertAlmostEqual(after.x_mm - 14.0, 12.0 - before.x_mm, places=6)
            self.assertEqual((after.y_mm, after.side), (before.y_mm, Side.BOTTOM))
        self.assertEqual(shifted(there, "U4", Shift(12.0, 9.0, mirrored=True)).points, board.points)
        copy = copied(board, "U4", Shift(14.0, 9.0, 1, mirrored=True))
        self.assertEqual(copy.component_by_designator["U4"], board.component_by_designator["U4"])
        self.assertIs(copy.component_by_designator["U5"].side, Side.BOTTOM)
        self.assertTrue(copy.net_is_unknown("U5.1"))
        self.assertEqual(inconsistencies(copy), ())
        with self.assertRaisesRegex(ValueError, "is the port"):
            copied(board, "J1", Shift(14.0, 9.0))

    def test_a_row_from_its_first_to_its_last(self) -> None:
        places = row_of((10.0, 5.0), (24.0, 5.0), 8)
        self.assertEqual([place.x_mm for place in places], [10.0, 12.0, 14.0, 16.0, 18.0, 20.0, 22.0, 24.0])
        for count in (1, 101):
            with self.assertRaises(ValueError):
                row_of((0.0, 0.0), (1.0, 1.0), count)


class PadRowTest(unittest.TestCase):
    def test_the_first_and_last_pad_lie_where_they_were_seen(self) -> None:
        board = board_with("C14 CC2 GND at 10 10")
        for side in Side:
            for first, last in (((10.0, 5.0), (20.0, 5.0)), ((20.0, 5.0), (10.0, 5.2)), ((9.0, 4.0), (9.0, 14.0)),
                                ((9.0, 14.0), (9.0, 4.0))):
                grown = with_pad_row(board, "J2", 11, side, first, last)
                one, far = grown.point_by_id["J2.1"], grown.point_by_id["J2.11"]
                self.assertLess(math.dist((one.x_mm, one.y_mm), first), 0.15, (side, first, last))
                self.assertLess(math.dist((far.x_mm, far.y_mm), last), 0.15, (side, first, last))
                self.assertEqual(inconsistencies(grown), ())

    def test_what_is_no_row_is_refused_in_words(self) -> None:
        board = board_with("C14 CC2 GND at 10 10")
        for count, first, last in ((1, (10.0, 5.0), (20.0, 5.0)), (5, (10.0, 5.0), (15.0, 10.0)),
                                   (5, (10.0, 5.0), (10.0, 5.0)), (5, (100.0, 5.0), (500.0, 5.0))):
            with self.assertRaisesRegex(ValueError, "; expected "):
                with_pad_row(board, "J2", count, Side.TOP, first, last)

    def test_typed_with_and_without_places(self) -> None:
        board = board_with("C14 CC2 GND at 10 10")
        self.assertEqual(parse_row(board, "c14 8"), RowToPlace("C14", 8, False))
        self.assertEqual(parse_row(board, "J2 20 10 5 24,5 5"), RowToPlace("J2", 20, True, ((10.0, 5.0), (24.5, 5.0))))
        for text in ("", "C14", "C14 8 10", "C14 1", "C14 many 10 5 24 5", "U9 8", "X 3", "J1 4"):
            with self.assertRaisesRegex(ValueError, "; expected "):
                parse_row(board, text)


class MovingWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def opened(self, side: Side = Side.TOP) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.session.library.keep(replace(board_with("C14 CC2 GND at 10 10", side=side), pack_id=pack, model="Grip"))
        self.window.open_job(self.session.open_new_job("SLS-0825", pack))
        self.settled()
        self.window.commands.run("pack.move")
        self.window.ask.field.setText("c14")
        self.key(Key.Key_Return)
        self.wait(lambda: self.panel().isVisible(), what="for the part to be in hand")

    def panel(self) -> MovePanel:
        return self.window.views.board.findChild(MovePanel) or MovePanel(self.window.views.board.plan)

    def board(self) -> Board:
        board = self.window.model.board
        assert board is not None
        return board

    def test_nudged_turned_and_kept_by_keys_and_taken_back(self) -> None:
        self.opened()
        for key in (Key.Key_Right, Key.Key_Right, Key.Key_Down):
            self.key(key)
        self.key(Key.Key_Up, Qt.KeyboardModifier.ShiftModifier)
        self.key(Key.Key_R)
        self.assertIn("turned 90", self.panel().words.text())
        self.assertEqual(self.board().component_by_designator["C14"].x_mm, 10.0)
        self.key(Key.Key_Return)
        part = self.board().component_by_designator["C14"]
        self.assertEqual((part.x_mm, part.y_mm, part.width_mm, part.height_mm), (10.2, 9.1, 0.5, 1.0))
        self.window.commands.run("pack.back")
        self.assertEqual(self.board().component_by_designator["C14"].x_mm, 10.0)

    def test_put_on_the_other_side_by_a_key_and_kept(self) -> None:
        self.opened()
        self.key(Key.Key_M)
        self.assertIs(self.window.views.board.plan.side, Side.BOTTOM)
        self.assertIn("bottom side", self.panel().words.text())
        self.key(Key.Key_Return)
        self.assertIs(self.board().component_by_designator["C14"].side, Side.BOTTOM)
        self.assertIs(self.board().point_by_id["C14.1"].side, Side.BOTTOM)
        self.window.commands.run("pack.back")
        self.assertIs(self.board().component_by_designator["C14"].side, Side.TOP)

    def test_right_on_the_screen_is_right_on_the_bottom_too(self) -> None:
        self.opened(Side.BOTTOM)
        before = self.window.views.board.plan.place(*self.at(), Side.BOTTOM).x()
        self.key(Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
        after = self.window.views.board.plan.place(*self.at(), Side.BOTTOM).x()
        self.assertGreater(after, before)
        self.key(Key.Key_Escape)
        self.assertEqual(self.board().component_by_designator["C14"].x_mm, 10.0)

    def at(self) -> tuple[float, float]:
        return self.panel().shift.x_mm, self.panel().shift.y_mm

    def test_dragged_copied_and_put_in_a_row(self) -> None:
        self.opened()
        plan = self.window.views.board.plan
        self.settled()  # the plan has its size once the panel stands above it
        here = plan.place(10.0, 10.0, Side.TOP).toPoint()
        there = here + QPoint(60, 24)
        wanted = plan.board_place(QPointF(there))
        QTest.mousePress(plan, Qt.MouseButton.LeftButton, pos=here)
        for share in (0.3, 0.7, 1.0):
            QTest.mouseMove(plan, here + QPoint(round(60 * share), round(24 * share)))
            self.application.processEvents()
        QTest.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=there)
        self.application.processEvents()
        self.assertAlmostEqual(self.at()[0], wanted[0], delta=0.2)
        self.assertAlmostEqual(self.at()[1], wanted[1], delta=0.2)
        self.key(Key.Key_G)
        self.key(Key.Key_C)
        self.assertEqual(self.board().component_by_designator["C14"].x_mm, 10.0)
        copy = self.board().component_by_designator["C15"]
        self.assertEqual(copy.x_mm, round(wanted[0] * 2) / 2)
        self.assertTrue(self.board().net_is_unknown("C15.1"))
        self.window.commands.run("pack.row")
        self.window.ask.field.setText("C14 many 10 5 24 5")
        self.key(Key.Key_Return)
        self.assertIn("whole number", self.window.ask.trouble.text())
        self.window.ask.field.setText("C14 8 10 5 24 5")
        self.key(Key.Key_Return)
        self.wait(lambda: "C23" in self.board().component_by_designator, what="for the row")
        self.assertEqual(self.board().component_by_designator["C23"].x_mm, 24.0)

    def test_a_row_of_pads_by_clicks_on_its_first_and_its_last(self) -> None:
        self.opened()
        self.key(Key.Key_Escape)
        plan = self.window.views.board.plan
        self.window.commands.run("pack.row")
        self.window.ask.field.setText("U9 8")
        self.key(Key.Key_Return)
        self.assertIn("is on no plan yet", self.window.ask.trouble.text())
        self.window.ask.field.setText("J2 6")
        self.key(Key.Key_Return)
        self.wait(lambda: plan.placing, what="for the plan to take clicks")
        for x_mm in (24.0, 14.0):
            self.click_at(plan, x_mm)
        self.settled()
        pads = [self.board().point_by_id[f"J2.{k}"] for k in range(1, 7)]
        for pad, x_mm in zip(pads, (24.0, 22.0, 20.0, 18.0, 16.0, 14.0), strict=True):
            self.assertAlmostEqual(pad.x_mm, x_mm, delta=0.3)
            self.assertAlmostEqual(pad.y_mm, 8.0, delta=0.3)
        self.assertFalse(plan.placing)
        self.assertTrue(self.board().net_is_unknown("J2.1"))

    def test_a_row_that_was_left_takes_no_click_that_places_a_part(self) -> None:
        self.opened()
        self.key(Key.Key_Escape)
        plan = self.window.views.board.plan
        self.window.commands.run("pack.row")
        self.window.ask.field.setText("C14 3")
        self.key(Key.Key_Return)
        self.wait(lambda: plan.placing, what="for the plan to take clicks")
        self.click_at(plan, 12.0)
        self.key(Key.Key_Escape)
        self.assertFalse(plan.placing)
        self.window.commands.run("pack.place")
        self.window.ask.field.setText("C20 CC1 GND")
        self.key(Key.Key_Return)
        self.wait(lambda: plan.placing, what="for the plan to take the part's click")
        self.click_at(plan, 20.0)
        self.settled()
        there = {part.designator for part in self.board().components if part.designator.startswith("C")}
        self.assertEqual(there, {"C14", "C20"})

    def click_at(self, plan: BoardPlan, x_mm: float) -> None:
        QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=plan.place(x_mm, 8.0, Side.TOP).toPoint())


if __name__ == "__main__":
    unittest.main()
