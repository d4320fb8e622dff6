"""Parts put onto an own board by hand: as typed, at a click, one after the other, taken off; and they are judged."""

from __future__ import annotations

import unittest
from dataclasses import replace

import numpy as np
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from dextrum.app.advising.assess import assess
from dextrum.app.library.library import PackLibrary
from dextrum.app.packmaking.own_packs import begin_pack, rung_of
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Board, ComponentKind, Method, Side
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.board.copper import joined_nets
from dextrum.core.diagnosis.model import build_model
from dextrum.core.packmaking.placing import next_designator, parse_part, with_part, without_part
from dextrum.core.packmaking.second_rung import LANES, REST, SYSTEM, with_good_unit
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import build_reference_table
from dextrum.core.trail import Cell, Intake, JobOpened, Look, PointReading, Readings
from dextrum.errors import PackError
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, library, library_of, trail_of
from tests.test_packmaking import first_rung
from tests.window_support import Key, WindowCase

RED = Method.DIODE_RED_GROUND


def put(board: Board, *texts: str) -> Board:
    for k, text in enumerate(texts):
        board = with_part(board, parse_part(text), Side.TOP, 5.0 + 4.0 * k, 12.0)
    return board


class TypedTest(unittest.TestCase):
    def test_kinds_nets_sizes_and_places(self) -> None:
        cap = parse_part("c14 cc2 gnd")
        self.assertEqual((cap.designator, cap.kind, cap.pins, cap.at),
                         ("C14", ComponentKind.CAPACITOR, (("1", "CC2"), ("2", "GND")), None))
        chip = parse_part("U4 VIN=VBUS CC1=CC1 GND=GND 4,5x4 at 12,5 8")
        self.assertEqual((chip.pins[0], chip.width_mm, chip.at), (("VIN", "VBUS"), 4.5, (12.5, 8.0)))
        self.assertEqual(parse_part("F1").pins, (("1", ""), ("2", "")))
        self.assertEqual(parse_part("FL3 TX1P ? TX1N ?").pins[1], ("2", ""))
        self.assertEqual((next_designator("C13"), next_designator("X")), ("C14", "X"))

    def test_what_is_no_part_is_refused_with_what_was_expected(self) -> None:
        for text in ("", "14", "Q7 A B", "C CC1 GND", "C14 A", "U4", "U4 A=B A=C", "C14 A B 99x1", "C14 A B at x y",
                     "C14 CC1 " + "A" * 3000):
            with self.subTest(text), self.assertRaisesRegex(ValueError, "expected"):
                parse_part(text)


class PlacedTest(unittest.TestCase):
    def test_nets_points_rates_and_repairs_come_along(self) -> None:
        board = put(first_rung(), "F1 VBUS VBUS_F", "U1 VIN=VBUS_F CC1=CC1 CC2=CC2 GND=GND", "C14 CC2 GND")
        self.assertEqual(list(inconsistencies(board)), [])
        self.assertIn("VBUS_F", board.net_by_name)
        self.assertEqual({"F1.1", "F1.2", "U1.CC1", "C14.1"} & set(board.point_by_id), {"F1.1", "F1.2", "U1.CC1",
                                                                                       "C14.1"})
        self.assertNotIn("C14.2", board.point_by_id, "ground needs no probe")
        self.assertTrue(any(rule.kind is ComponentKind.FUSE for rule in board.repair_rules))
        self.assertIn("U1", next(f for f in board.functions if f.id == "inside").parts)

    def test_refused_and_taken_off_again(self) -> None:
        board = put(first_rung(), "C14 CC2 GND")
        for text, x, y in (("C14 CC1 GND", 5.0, 5.0), ("C15 CC1 GND", -1.0, 5.0), ("C15 CC1 GND", 5.0, 500.0)):
            with self.assertRaisesRegex(ValueError, "expected"):
                with_part(board, parse_part(text), Side.TOP, x, y)
        for name in ("J1", "C99", REST):
            with self.assertRaises(ValueError):
                without_part(board, name)
        gone = without_part(board, "C14")
        self.assertEqual([part.designator for part in gone.components], ["J1", REST, LANES, SYSTEM])
        self.assertEqual(rung_of(gone), 1, "no good unit was read")
        self.assertNotIn("C14.1", gone.point_by_id)

    def test_a_chip_shares_the_junction_that_the_rest_had_on_its_net(self) -> None:
        good = SimulatedBoard(duo_board(), (), np.random.default_rng(1))
        start = first_rung()
        board = with_good_unit(start, {p.id: good.read(p.id, RED, METER_M1) for p in start.points})
        two = put(board, "U1 VIN=VBUS_F CC1=CC1 CC2=CC2 GND=GND", "D1 CC1 CC2 SBU1 SBU2 GND")
        self.assertEqual(list(inconsistencies(two)), [])

        def on(of: Board, net: str) -> list[float]:
            return [t.junction_volts for part in of.components for t in part.terminals
                    if t.net == net and t.junction_volts is not None]

        self.assertEqual([len(on(two, net)) for net in ("CC2", "SBU1", "DP")], [3, 2, 1])
        before, after = (build_model(of, build_reference_table(of, (), "M1")) for of in (board, two))
        for net in ("CC2", "SBU1"):
            self.assertGreater(min(on(two, net)), on(board, net)[0])

        def usual(of: Board, point: str) -> float:
            return float(np.mean([SimulatedBoard(of, (), np.random.default_rng(k)).read(point, RED, METER_M1)
                                  for k in range(150)]))

        for point in ("J1.A5", "J1.B5", "J1.A8", "J1.A6"):
            self.assertAlmostEqual(usual(board, point), usual(two, point), delta=0.008, msg=point)
        self.assertIn("U1:hard_short:CC2", {fault.id for fault in after.hypotheses.faults})
        self.assertNotIn("U1:hard_short:CC2", {fault.id for fault in before.hypotheses.faults})
        back = without_part(without_part(two, "D1"), "U1")
        for net in ("CC2", "SBU1", "DP"):
            self.assertAlmostEqual(on(back, net)[0], on(board, net)[0], delta=0.001)

    def test_a_placed_fuse_and_chip_are_told_from_the_rest(self) -> None:
        """The Duo stands for an undescribed board: a good unit, then a fuse, PD controller and CC capacitors placed."""
        good = SimulatedBoard(duo_board(), (), np.random.default_rng(1))
        start = first_rung()
        board = with_good_unit(start, {p.id: good.read(p.id, RED, METER_M1) for p in start.points})
        board = put(board, "F1 VBUS VBUS_F", "U1 VIN=VBUS_F CC1=CC1 CC2=CC2 GND=GND", "C14 CC2 GND", "C15 CC1 GND",
                    "C1 VBUS GND")
        there = tuple(p for p in board.points if p.to is None and (p.part == "J1" or p.id in duo_board().point_by_id))
        board = replace(board, points=there)
        known = tuple(KnownGoodReading("G", p.id, RED, "M1", good.read(p.id, RED, METER_M1), 21.0, "2026-01-02")
                      for p in there)
        board = with_good_unit(board, {r.point: r.value for r in known})
        self.assertEqual(list(inconsistencies(board)), [])
        advice = build_advice_model(build_model(board, build_reference_table(board, known, "M1")))

        def suspects(fault: str) -> list[str]:
            found = fault_named(duo_advice().model.hypotheses.faults, fault)
            unit = SimulatedBoard(duo_board(), [(found, found.variants[0][0])], np.random.default_rng(3))
            shown = tuple(PointReading(p.id, unit.read(p.id, RED, METER_M1)) for p in there)
            done = assess(advice, trail_of(JobOpened("T", board.model, board.pack_id), Intake("x", ("no_charge",)),
                                           Look(("clean",)), Cell("unplugged"), Readings(RED, shown, "M1")),
                          explain=False)
            return list(dict.fromkeys(s.fault.part for s in done.suspects))[:3]

        self.assertIn("F1", suspects("F1:blown_fuse:1:2"))
        self.assertIn("U1", suspects("U1:hard_short:CC2"))


    def test_the_rest_lies_behind_a_fuse_or_filter_that_was_placed(self) -> None:
        def rest_on(board: Board, name: str) -> str:
            return next(t.net for part in board.components if part.undescribed for t in part.terminals
                        if t.name == name)

        board = put(first_rung(), "F1 VBUS VBUS_F", "FL1 TX1P TXA TX1N TXB")
        self.assertEqual([rest_on(board, name) for name in ("VBUS", "TX1P", "TX1N", "CC1")],
                         ["VBUS_F", "TXA", "TXB", "CC1"])
        self.assertEqual(joined_nets(board)["TXB"], joined_nets(board)["TX1N"])
        further = put(board, "L9 VBUS_F VIN")
        self.assertEqual(rest_on(further, "VBUS"), "VIN", "behind both of two in a row")
        parted = put(further, "F2 VIN A", "F3 VIN B")
        self.assertEqual(rest_on(parted, "VBUS"), "VIN", "where the way parts, nobody knows")
        ring = put(board, "L9 VBUS_F VBUS")
        self.assertEqual(rest_on(ring, "VBUS"), "VBUS_F")
        back = without_part(without_part(board, "FL1"), "F1")
        self.assertEqual([rest_on(back, name) for name in ("VBUS", "TX1P")], ["VBUS", "TX1P"])
        self.assertNotIn("VBUS_F", back.net_by_name)
        for one in (board, further, parted, ring, back):
            self.assertEqual(list(inconsistencies(one)), [])

    def test_an_open_filter_is_told_from_its_contact(self) -> None:
        """The Duo's lanes, its filters and the good unit's readings on both sides of them."""
        true = duo_board()
        good = SimulatedBoard(true, (), np.random.default_rng(1))
        board = put(first_rung(), "FL1 TX1P TXA TX1N TXB", "FL2 RX1P RXA RX1N RXB")
        there = [p.id for p in board.points if p.to is None and p.id in true.point_by_id]
        known = tuple(KnownGoodReading("G", p, RED, "M1", good.read(p, RED, METER_M1), 21.0, "2026-01-02")
                      for p in there)
        board = with_good_unit(board, {r.point: r.value for r in known})
        advice = build_advice_model(build_model(board, build_reference_table(board, known, "M1")))
        fault = fault_named(duo_advice().model.hypotheses.faults, "FL1:open_winding:1:2")
        unit = SimulatedBoard(true, [(fault, fault.variants[0][0])], np.random.default_rng(3))
        shown = tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in there)
        done = assess(advice, trail_of(JobOpened("T", board.model, board.pack_id), Intake("x", ("no_dock",)),
                                       Look(("clean",)), Cell("unplugged"), Readings(RED, shown, "M1")), explain=False)
        self.assertIn("FL1", [s.fault.part for s in done.suspects][:2])

    def test_a_whole_pack_keeps_what_it_states(self) -> None:
        """A shop's own copy of a described board: one capacitor more, and taken off again."""
        whole = duo_board()
        more = put(whole, "C901 CC1 GND")
        self.assertEqual((more.failure_rates, more.repair_rules, more.functions),
                         (whole.failure_rates, whole.repair_rules, whole.functions))
        self.assertEqual([p.id for p in more.points if p.id not in whole.point_by_id], ["C901.1"])
        self.assertEqual(without_part(more, "C901"), whole)
        named = next(part for f in whole.functions for part in f.parts if part != "J1")
        try:
            gone = without_part(whole, named)
        except ValueError as problem:
            self.assertIn("hold together", str(problem))
        else:
            self.assertEqual(list(inconsistencies(gone)), [])

    def test_parts_placed_before_any_good_unit_was_read_give_no_unit_up(self) -> None:
        """Nobody has said what a good board reads: numbers tell nothing, and shorts are still seen."""
        board = put(first_rung(), "F1 VBUS VBUS_F", "U1 VIN=VBUS_F CC1=CC1 CC2=CC2 GND=GND", "C14 CC2 GND", "C15 ? ?")
        advice = build_advice_model(build_model(board, build_reference_table(board, (), "M1")))
        there = [p.id for p in board.points if p.to is None and (p.part == "J1" or p.id in duo_board().point_by_id)]

        def judged(*faults: str) -> tuple[float, list[str], set[str]]:
            found = [fault_named(duo_advice().model.hypotheses.faults, name) for name in faults]
            unit = SimulatedBoard(duo_board(), [(one, one.variants[0][0]) for one in found], np.random.default_rng(3))
            shown = tuple(PointReading(p, unit.read(p, RED, METER_M1)) for p in there)
            done = assess(advice, trail_of(JobOpened("T", board.model, board.pack_id), Intake("x", ("no_charge",)),
                                           Look(("clean",)), Cell("unplugged"), Readings(RED, shown, "M1")),
                          explain=False)
            actions = {done.advice.next.kind}
            return done.posterior.something_else, [s.fault.part for s in done.suspects][:4], actions

        else_share, _, actions = judged()
        self.assertLess(else_share, 0.5)
        self.assertNotIn("give_up", actions)
        self.assertIn("C14", judged("C14:hard_short:1")[1])
        self.assertNotIn("C15", judged("C15:hard_short:1")[1], "nobody knows yet what it is on")

    def test_a_rail_is_read_elsewhere_when_its_part_goes_and_is_gone_with_the_last(self) -> None:
        board = library().board("bramlet-orb-a")
        point = {rail.id: rail.point for rail in board.rail_checks}
        self.assertEqual(point, {"SYS": "C3.1", "V3V3": "C5.1"})
        less = without_part(board, "C3")
        moved = {rail.id: rail for rail in less.rail_checks}
        self.assertEqual((moved["SYS"].point, moved["V3V3"].point), ("C7.1", "C5.1"))
        self.assertEqual(less.net_of_point["C7.1"], "SYS")
        self.assertEqual({rail.id for rail in without_part(less, "C7").rail_checks}, {"V3V3"})


class PlacingWindowTest(WindowCase):
    def packs(self) -> PackLibrary:
        return library_of(self.folder / "packs")

    def test_typed_clicked_counted_on_and_taken_off(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        self.window.open_job(self.session.open_new_job("SLS-0821", pack))
        self.settled()
        model = self.window.model
        self.window.commands.run("pack.place")
        self.type("C14")
        self.window.ask.field.setText("C14 CC2")
        self.key(Key.Key_Return)
        self.assertIn("has 1 net:", self.window.ask.trouble.text())
        self.window.ask.field.setText("C14 CC2 GND")
        self.key(Key.Key_Return)
        plan = self.window.views.board.plan
        self.wait(lambda: plan.placing, what="for the click")
        at = plan.place(12.0, 10.0, Side.TOP).toPoint()
        QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=at)
        self.application.processEvents()
        assert model.board is not None
        part = model.board.component_by_designator["C14"]
        self.assertAlmostEqual(part.x_mm, 12.0, delta=0.3)
        self.assertAlmostEqual(part.y_mm, 10.0, delta=0.3)
        # The next one is offered by its number; with its place typed, no click is needed.
        self.wait(lambda: self.window.ask.field.text() == "C15", what="for the next designator")
        self.window.ask.field.setText("C15 CC1 GND at 20 10")
        self.key(Key.Key_Return)
        self.assertIn("C15", model.board.component_by_designator if model.board else {})
        self.application.processEvents()
        self.key(Key.Key_Escape)
        self.window.commands.run("pack.unplace")
        self.type("c15")
        self.key(Key.Key_Return)
        self.assertNotIn("C15", model.board.component_by_designator if model.board else {"C15": 1})
        self.settled()
        self.assertFalse(plan.placing)
        before = model.board
        self.window.commands.run("pack.place")
        self.type("C16 CC1 GND")
        self.key(Key.Key_Return)
        self.wait(lambda: plan.placing, what="for the click")
        self.key(Key.Key_Escape)
        QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=at)
        self.application.processEvents()
        self.assertFalse(plan.placing)
        self.assertEqual(model.board, before, "left with Esc")
        self.assertEqual(library_of(self.folder / "packs").board(pack), model.board, "kept at each step")

    def test_a_click_after_another_job_was_opened_places_nothing_there(self) -> None:
        mine, other = (begin_pack(self.session.library, name, "B", "usb-c-16", "", "back off 6")
                       for name in ("Grip", "Other"))
        self.window.open_job(self.session.open_new_job("SLS-0824", mine))
        self.settled()
        plan = self.window.views.board.plan
        self.window.commands.run("pack.place")
        self.window.ask.field.setText("C14 CC2 GND")
        self.key(Key.Key_Return)
        self.wait(lambda: plan.placing, what="for the click")
        self.window.open_job(self.session.open_new_job("SLS-0825", other))
        self.settled()
        self.window.show_view("board")
        QTest.mouseClick(plan, Qt.MouseButton.LeftButton, pos=plan.place(12.0, 10.0, Side.TOP).toPoint())
        self.application.processEvents()
        for pack in (mine, other):
            self.assertNotIn("C14", self.session.library.board(pack).component_by_designator)
        self.assertFalse(plan.placing)

    def test_what_could_not_be_opened_again_is_not_written(self) -> None:
        library = self.session.library
        pack = begin_pack(library, "Grip", "B", "usb-c-16", "", "back off 6")
        board = library.board(pack)
        with self.assertRaises(PackError):
            library.keep(replace(board, nets=board.nets[1:]))
        self.assertEqual(library_of(self.folder / "packs").board(pack), board)

    def test_readings_of_a_part_that_was_taken_off_stay_in_the_trail(self) -> None:
        pack = begin_pack(self.session.library, "Grip", "B", "usb-c-16", "", "back off 6")
        library = self.session.library
        library.keep(put(library.board(pack), "C14 CC2 GND"))
        self.window.open_job(self.session.open_new_job("SLS-0822", pack))
        self.settled()
        self.window.model.record(Cell("unplugged"))
        self.window.model.record(Readings(RED, (PointReading("C14.1", 0.6),), "M1"))
        library.keep(without_part(library.board(pack), "C14"))
        self.window.model.pack_has_grown()
        self.settled()
        for view in ("board", "port", "rework", "proof", "packmaking"):
            self.window.show_view(view)
            self.application.processEvents()
        self.assertTrue(any("C14.1" in str(entry.payload) for entry in self.window.model.trail))
