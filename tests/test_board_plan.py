"""The plan of the board through the real window: both sides, clicks, keys, and the way under suspicion."""

from __future__ import annotations

import unittest

from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from dextrum.core.board import Method, Side
from dextrum.core.trail import Cell, JobOpened, Look, PointReading, Readings
from dextrum.desktop.board.view import BoardView
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from tests.support import DUO, SLIVER, duo_board
from tests.window_support import ALT, Key, WindowCase

RED = Method.DIODE_RED_GROUND


class PlanCase(WindowCase):
    model_name, pack_id = "Tarnwick Duo", DUO

    def fill(self, store: JobStore) -> None:
        store.add_trail([new_entry(p, "x") for p in (
            JobOpened("T-1", self.model_name, self.pack_id), Look(("clean",)), Cell("unplugged"))])

    def setUp(self) -> None:
        super().setUp()
        self.key(Key.Key_4, ALT)
        self.settled()

    @property
    def view(self) -> BoardView:
        view = self.window.views["board"]
        assert isinstance(view, BoardView)
        return view


class PlanTest(PlanCase):
    def click(self, point: str) -> None:
        place = duo_board().point_by_id[point]
        at = self.view.plan.place(place.x_mm, place.y_mm)
        QTest.mouseClick(self.view.plan, Qt.MouseButton.LeftButton, pos=QPoint(round(at.x()), round(at.y())))
        self.application.processEvents()

    def test_a_click_chooses_the_point_and_a_value_can_be_typed_at_once(self) -> None:
        for _ in range(6):
            self.view.plan._zoom_by(1.4)
        self.view.plan.reveal("C14.1")
        self.click("C14.1")
        current = self.view.current_point()
        assert current is not None
        self.assertEqual(current.id, "C14.1")
        self.type("0.55")
        self.key(Key.Key_Return)
        self.assertIn("C14.1", self.window.model.judged)

    def test_the_plan_turns_to_the_side_of_the_point_in_hand(self) -> None:
        bottom = next(p for p in duo_board().points if p.side is Side.BOTTOM and p.id not in duo_board().port_points)
        self.tab_to("Jump to a part")
        self.type(bottom.id)
        self.assertIs(self.view.plan.side, Side.BOTTOM)

    def test_keys_flip_zoom_pan_and_come_back(self) -> None:
        plan = self.view.plan
        plan.setFocus()
        right = plan.place(60.0, 30.0)
        self.key(Key.Key_F)
        self.assertIs(plan.side, Side.BOTTOM)
        self.assertAlmostEqual(plan.place(60.0, 30.0).x() + right.x(), plan.width(), delta=1.0)
        self.key(Key.Key_F)
        self.key(Key.Key_Plus)
        self.assertGreater(plan.zoom, 1.0)
        middle = plan.middle
        self.key(Key.Key_Right)
        self.assertGreater(plan.middle.x(), middle.x())
        self.key(Key.Key_Minus)
        self.key(Key.Key_Minus)
        self.assertEqual(plan.zoom, 1.0)
        self.key(Key.Key_Home)
        self.assertAlmostEqual(plan.place(60.0, 30.0).x(), right.x(), delta=1.0)

    def test_numbers_of_points_that_lie_together_share_a_tag(self) -> None:
        plan = self.view.plan
        points = [p for p in duo_board().points if p.side is plan.side and p.to is None]
        near = sorted(points, key=lambda p: (p.x_mm - points[0].x_mm) ** 2 + (p.y_mm - points[0].y_mm) ** 2)
        plan.asked = (near[0].id, near[1].id, near[-1].id)
        tags = plan.number_tags(6.0)
        self.assertEqual([words for _, words in tags], ["1 · 2", "3"])
        self.assertFalse(tags[0][0].intersects(tags[1][0]))

    def test_the_way_of_an_open_contact_is_drawn_and_said(self) -> None:
        read = (PointReading("J1.A10", float("inf")), PointReading("FL5.4", 0.452))
        self.window.model.record(Readings(RED, read, "M1"))
        self.settled()
        plan = self.view.plan
        assert plan.path is not None and plan.stretch is not None
        self.assertEqual((plan.path.contact, plan.stretch.parts), ("J1.A10", ("FL5",)))
        self.assertIn("The break lies between J1.A10 and FL5.4: FL5", self.view.way.text())

    def test_a_port_contact_on_the_plan_leads_to_the_port_view(self) -> None:
        self.view.plan.chosen.emit("J1.A5")
        self.assertIn("Port view", self.view.trouble.text())


class SparsePlanTest(PlanCase):
    model_name, pack_id = "Tarnwick Sliver", SLIVER

    def test_a_pack_with_only_a_port_draws_what_it_knows(self) -> None:
        self.assertIsNotNone(self.view.plan.board)
        self.view.plan.repaint()


if __name__ == "__main__":
    unittest.main()
