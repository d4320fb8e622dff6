"""A board that nobody has described: units on the simulated bench, tips by name and by place, pins where they lie."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory

from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton

from dextrum.app.bench.microscope import board_from_above
from dextrum.app.bench.simbench import (
    UNDESCRIBED,
    graded_as_it_lies,
    prepare_bench,
    read_state,
    served,
    undescribed_library,
    units_beside,
    write_state,
)
from dextrum.core.board import ComponentKind, Side
from dextrum.core.packmaking.pins import lies_on, pin_places
from dextrum.core.packmaking.placing import parse_part
from dextrum.desktop.bench.simbench_window import SimbenchWindow
from dextrum.instruments.protocols import CONTINUITY, DIODE, OHMS
from dextrum.instruments.simbench.bench import HandRefusedError, SimulatedBench
from dextrum.instruments.simbench.ends import end_named, end_near
from dextrum.instruments.simbench.server import CAME_IN, BenchServer
from tests.support import DUO, library
from tests.window_support import application

FL5 = "FL5:open_winding:3:4"


class Clock:
    """Seconds that pass when a test says so."""

    def __init__(self) -> None:
        self.seconds = 0.0

    def __call__(self) -> float:
        return self.seconds


def grip(name: str = "grip_good") -> SimulatedBench:
    """A unit of the board, cell out, with a meter whose touches never slip."""
    bench = next(unit for unit in units_beside() if unit.name == name).make(None)
    bench.cell = "unplugged"
    bench.meter = type(bench.meter)(bench.meter.name, gain=1.0, offset_volts=0.0, lead_ohms=0.0, bad_touch=0.0)
    bench._clock = Clock()
    return bench


def shown(bench: SimulatedBench) -> float:
    """What the meter shows two seconds after the tips came down."""
    clock = bench._clock
    assert isinstance(clock, Clock)
    clock.seconds += 2.0
    return bench.meter_shows()


class PackTest(unittest.TestCase):
    def test_no_pack_that_judges_is_of_this_board(self) -> None:
        self.assertNotIn(UNDESCRIBED, library().ids())
        self.assertIn(UNDESCRIBED, undescribed_library().ids())

    def test_every_end_has_a_place_of_its_own(self) -> None:
        board = undescribed_library().board(UNDESCRIBED)
        ends = [p for p in board.points if p.to is None]
        self.assertEqual({p.at for p in ends}, {f"{c.designator}.{t.name}" for c in board.components
                                                for t in c.terminals})
        for point in ends:
            self.assertEqual(end_near(board, point.side, point.x_mm, point.y_mm), point.at)

    def test_pins_lie_where_the_custom_of_their_kind_puts_them(self) -> None:
        """The board was laid out by hand; what is placed on a photo of it must meet the same pads."""
        board = undescribed_library().board(UNDESCRIBED)
        for part in board.components:
            if part.kind is ComponentKind.RECEPTACLE:
                continue
            places = pin_places(part.kind, len(part.terminals), part.width_mm, part.height_mm)
            mirror = -1.0 if part.side is Side.BOTTOM and len(places) > 2 else 1.0
            for terminal, (x, y) in zip(part.terminals, places, strict=True):
                with self.subTest(part.designator, pin=terminal.name):
                    met = end_near(board, part.side, part.x_mm + mirror * x, part.y_mm + y)
                    # Which end of a connector is called 1 is not to be seen on it.
                    self.assertEqual(met.partition(".")[0] if part.kind is ComponentKind.CONNECTOR else met,
                                     part.designator if part.kind is ComponentKind.CONNECTOR
                                     else f"{part.designator}.{terminal.name}")


class PinPlacesTest(unittest.TestCase):
    def test_against_the_clock_from_the_top_left(self) -> None:
        four = pin_places(ComponentKind.IC, 16, 4.0, 4.0)
        self.assertEqual((four[0], four[4], four[8], four[12]), ((-2.0, -1.5), (-1.5, 2.0), (2.0, 1.5), (1.5, -2.0)))
        two = pin_places(ComponentKind.IC, 6, 2.0, 3.0)
        self.assertEqual([x for x, _ in two], [-1.0] * 3 + [1.0] * 3)
        self.assertEqual([round(y, 3) for _, y in two], [-1.0, 0.0, 1.0, 1.0, 0.0, -1.0])

    def test_two_ends_windings_and_rows(self) -> None:
        self.assertEqual(pin_places(ComponentKind.CAPACITOR, 2, 0.5, 1.0), ((0.0, -0.38), (0.0, 0.38)))
        (x1, y1), (x2, y2), (x3, _y3), _ = pin_places(ComponentKind.FILTER, 4, 1.2, 1.0)
        self.assertEqual((x1, y1, x3), (x2, -y2, -x1))
        row = pin_places(ComponentKind.CONNECTOR, 5, 10.0, 3.0)
        self.assertEqual([(round(x, 6), y) for x, y in row], [(-4.0, 0.0), (-2.0, 0.0), (0.0, 0.0), (2.0, 0.0),
                                                              (4.0, 0.0)])

    def test_two_parts_in_one_place_are_told(self) -> None:
        board = undescribed_library().board(UNDESCRIBED)
        for part in board.components:
            self.assertEqual(lies_on(board, part.designator), (), part.designator)
        here = board.component_by_designator["U1"]
        over = replace(board, components=tuple(replace(p, x_mm=here.x_mm + 1.0, y_mm=here.y_mm)
                                               if p.designator in ("C1", "L1") else p for p in board.components))
        self.assertEqual(set(lies_on(over, "C1")), {"U1", "L1"})
        self.assertEqual(set(lies_on(over, "U1")), {"C1", "L1"})
        self.assertEqual(lies_on(over, "C25"), ())
        apart = replace(board, components=tuple(replace(p, side=Side.BOTTOM, x_mm=here.x_mm, y_mm=here.y_mm)
                                                if p.designator == "C1" else p for p in board.components))
        self.assertEqual(lies_on(apart, "C1"), (), "the other side of the board is another place")

    def test_every_number_of_pins_has_as_many_places_none_twice(self) -> None:
        for kind in ComponentKind:
            for count in range(2, 41):
                for wide, high in ((4.0, 4.0), (2.0, 6.0), (9.0, 3.0)):
                    places = pin_places(kind, count, wide, high)
                    self.assertEqual(len(set(places)), count)
                    self.assertTrue(all(abs(x) <= wide / 2 and abs(y) <= high / 2 for x, y in places))

    def test_a_number_is_enough_for_a_chip(self) -> None:
        chip = parse_part("U2 16 6x6")
        self.assertEqual((len(chip.pins), chip.pins[0], chip.width_mm), (16, ("1", ""), 6.0))
        self.assertEqual(len(parse_part("J3 8").pins), 8)
        self.assertEqual(parse_part("C14 CC2 3").pins[1], ("2", "3"))  # a net may be called by a number
        for wrong in ("U2 1", "U2 0", "U2 401", "U2 99999999999"):
            with self.subTest(wrong), self.assertRaisesRegex(ValueError, "expected 2 to 400"):
                parse_part(wrong)


class TipsTest(unittest.TestCase):
    def test_two_ends_of_one_net_beep_and_two_nets_do_not(self) -> None:
        bench = grip()
        bench.quantity = OHMS
        self.assertEqual(bench.hand({"do": "probe", "point": "F1.2", "to": "C1.1"}), {"on": "F1.2", "to": "C1.1"})
        self.assertLess(shown(bench), 1.0)
        bench.hand({"do": "lift"})
        bench.hand({"do": "probe", "point": "C1.2", "to": "U1.GND"})
        self.assertLess(shown(bench), 1.0)
        bench.hand({"do": "probe", "point": "U2.DAT", "to": "U2.DET"})
        self.assertGreater(shown(bench), 50.0)

    def test_through_a_part_its_ohms_are_read_and_a_blown_fuse_is_open(self) -> None:
        good, bad = grip(), grip("grip_bad")
        for bench in (good, bad):
            bench.quantity = OHMS
            bench.hand({"do": "probe", "point": "R1.1", "to": "R1.2"})
        self.assertAlmostEqual(shown(good), 100.0, delta=15.0)
        for bench in (good, bad):
            bench.hand({"do": "probe", "point": "F1.1", "to": "F1.2"})
        self.assertLess(shown(good), 0.5)
        self.assertGreater(shown(bad), 50.0)

    def test_by_place_and_on_bare_board(self) -> None:
        bench = grip()
        there = bench.board.point_by_id["U1.VIN"]
        told = bench.hand({"do": "probe", "at": ["top", there.x_mm + 0.2, there.y_mm]})
        self.assertEqual(told, {"on": "U1.VIN"})
        self.assertAlmostEqual(shown(bench), 0.53, delta=0.06)
        self.assertEqual(bench.hand({"do": "probe", "at": ["top", 2.0, 24.0]}), {"on": ""})
        self.assertEqual(shown(bench), math.inf)
        bench.quantity = OHMS
        told = bench.hand({"do": "probe", "at": ["top", there.x_mm, there.y_mm], "to": ["bottom", 1.0, 1.0]})
        self.assertEqual(told, {"on": "U1.VIN", "to": ""})
        self.assertEqual(shown(bench), math.inf)

    def test_the_dial_is_turned_while_the_tips_stay(self) -> None:
        bench = grip()
        bench.quantity = DIODE
        bench.hand({"do": "probe", "point": "F1.2", "to": "C1.1"})
        self.assertAlmostEqual(shown(bench), 0.0, delta=0.005)
        bench.quantity = CONTINUITY
        bench.meter_shows()
        self.assertLess(shown(bench), 1.0)

    def test_what_can_not_be_touched_is_refused_in_words(self) -> None:
        bench = grip()
        for order in ({"point": "C1.1", "to": "Q9.1"}, {"at": ["side", 1, 1]}, {"at": ["top", "x", 1]}, {"at": 7},
                      {"at": ["top", 1.0, 1.0], "to": ["top", 1.0]}):
            with self.subTest(order), self.assertRaises(HandRefusedError):
                bench.hand({"do": "probe", **order})
        bench.cell = "plugged"
        with self.assertRaisesRegex(HandRefusedError, "cell is in"):
            bench.hand({"do": "probe", "point": "F1.2", "to": "C1.1"})

    def test_a_supply_on_two_ends_does_nothing(self) -> None:
        bench = grip()
        bench.supply_on, bench.supply_volts, bench.supply_amps = True, 1.0, 1.0
        bench.hand({"do": "probe", "point": "F1.2", "to": "C1.1"})
        self.assertEqual(bench.supply_shows(), (1.0, 0.0))
        bench.hand({"do": "probe", "at": ["top", 20.95, 19.4]})
        volts, amps = bench.supply_shows()
        self.assertGreaterEqual(1.0, volts)
        self.assertGreaterEqual(amps, 0.0)

    def test_names_in_any_case(self) -> None:
        board = undescribed_library().board(UNDESCRIBED)
        self.assertEqual((end_named(board, " c1.2 "), end_named(board, "nothing")), ("C1.2", ""))


class LaidTest(unittest.TestCase):
    def setUp(self) -> None:
        self.server = served(prepare_bench(library(), DUO, [FL5], 1))
        self.addCleanup(lambda: self.server.close())

    def test_each_keeps_what_was_done_to_it_and_the_dials_stay(self) -> None:
        first = self.server.bench
        first.quantity = OHMS
        self.server.hand({"do": "cell", "cell": "unplugged"})
        self.assertEqual(self.server.hand({"do": "lay", "unit": "grip_bad"}),
                         {"model": "Tarnwick Grip", "unit": "grip_bad"})
        self.assertEqual((self.server.bench.quantity, self.server.bench.cell), (OHMS, "plugged"))
        self.assertIs(self.server.mouths["multimeter"].bench, self.server.bench)
        self.server.hand({"do": "repair", "part": "F1"})
        self.server.hand({"do": "lay", "unit": CAME_IN})
        self.assertIs(self.server.bench, first)
        self.assertEqual(self.server.bench.cell, "unplugged")
        self.server.hand({"do": "lay", "unit": "grip_bad"})
        self.assertEqual(self.server.hand({"do": "reveal"})["left"], [])

    def test_not_while_power_is_on_and_no_unit_that_is_not_here(self) -> None:
        self.server.hand({"do": "plug", "way": "a"})
        with self.assertRaisesRegex(HandRefusedError, "Power is on"):
            self.server.hand({"do": "lay", "unit": "grip_good"})
        self.assertEqual(self.server.lying, CAME_IN)
        with self.assertRaisesRegex(HandRefusedError, "no unit"):
            self.server.hand({"do": "lay", "unit": "grip_best"})

    def test_a_restart_finds_the_units_as_they_were_left(self) -> None:
        self.server.hand({"do": "lay", "unit": "grip_bad"})
        self.server.hand({"do": "repair", "part": "F1"})
        with TemporaryDirectory() as place:
            file = Path(place) / "simbench.json"
            write_state(file, self.server)
            state = read_state(file)
        again = served(prepare_bench(library(), DUO, (), 0, state), state)
        self.addCleanup(again.close)
        self.assertEqual((again.lying, again.hand({"do": "reveal"})["left"]), ("grip_bad", []))
        self.assertIn("What was wrong: F1", graded_as_it_lies(again, library())(again.hand({"do": "reveal"})))
        again.hand({"do": "lay", "unit": CAME_IN})
        self.assertEqual(again.hand({"do": "reveal"})["wrong"], [FL5])
        self.assertIn("FL5", graded_as_it_lies(again, library())(again.hand({"do": "reveal"})))

    def test_a_state_that_says_nonsense_of_them_is_left_aside(self) -> None:
        for kept in ({"beside": 7, "lying": "grip_good"}, {"beside": {"grip_good": {"pack": UNDESCRIBED, "hidden":
                     [["U99:hard_short:X", 1.0]]}}, "lying": "grip_good"}, {"lying": ["x"]}):
            with self.subTest(kept):
                server = served(prepare_bench(library(), DUO, [FL5], 1), kept)
                self.addCleanup(server.close)
                self.assertEqual(server.lying, "grip_good" if kept["lying"] == "grip_good" else CAME_IN)

    def test_hands_that_follow_set_the_tips_where_the_program_asks(self) -> None:
        server = self.server
        server.hand({"do": "lay", "unit": "grip_good"})
        server.hand({"do": "cell", "cell": "unplugged"})
        asked = {"do": "asked", "at": ["top", 20.9, 19.4]}
        self.assertEqual(server.hand(asked), {"follows": False})
        self.assertIsNone(server.bench.probe)
        server.hand({"do": "follow", "on": True})
        server.hand({"do": "probe", "point": "C1.1"})
        self.assertEqual(server.hand(asked), {"follows": True})
        self.assertIsNone(server.bench.probe)  # lifted first
        for _ in range(300):
            if server.bench.probe is not None:
                break
            QTest.qWait(10)
        self.assertEqual(server.bench.probe, ("F1.2", DIODE))

    def test_hands_do_the_last_thing_that_was_asked_for(self) -> None:
        """A question that was answered at once: its touch must not come while the next one listens."""
        server = self.server
        server.hand({"do": "lay", "unit": "grip_good"})
        server.hand({"do": "cell", "cell": "unplugged"})
        server.hand({"do": "follow", "on": True})
        seen: set[str] = set()
        server.hand({"do": "asked", "at": ["top", 19.1, 19.4]})
        QTest.qWait(200)
        server.hand({"do": "asked", "at": ["top", 20.9, 19.4]})
        for _ in range(120):
            QTest.qWait(10)
            seen |= {server.bench.probe[0]} if server.bench.probe else set()
        self.assertEqual(seen, {"F1.2"})
        # Nor does a touch follow to a board that was put away.
        server.hand({"do": "asked", "at": ["top", 19.1, 19.4]})
        before = server.bench
        server.hand({"do": "lay", "unit": CAME_IN})
        QTest.qWait(700)
        self.assertIsNone(before.probe)


class HandsSeeTest(unittest.TestCase):
    def setUp(self) -> None:
        application()
        self.server: BenchServer = served(prepare_bench(library(), DUO, [FL5], 1))
        self.addCleanup(self.server.close)
        self.window = SimbenchWindow(self.server, graded_as_it_lies(self.server, library()), board_from_above)
        self.addCleanup(self.window.close)
        self.window.show()

    def press(self, words: str) -> None:
        next(b for b in self.window.findChildren(QPushButton) if b.text() == words).click()
        for _ in range(1000):  # a unit that is wanted first is fetched beside the window
            if "it is fetched" not in self.window.said.text():
                break
            QTest.qWait(10)

    def test_another_unit_is_laid_seen_and_touched_by_clicks(self) -> None:
        window = self.window
        window.unit.setCurrentIndex(window.unit.findData("grip_good"))
        self.press("Lay it here")
        self.assertIn("Tarnwick Grip", window.head.text())
        self.assertEqual(window.check.itemText(0), "Charges on the rail")
        window.cell.setCurrentIndex(window.cell.findData("unplugged"))
        self.press("Do it")
        board = self.server.bench.board
        for name, shift in (("F1.1", Qt.KeyboardModifier.NoModifier), ("F1.2", Qt.KeyboardModifier.ShiftModifier)):
            point = board.point_by_id[name]
            QTest.mouseClick(window.under, Qt.MouseButton.LeftButton, shift,
                             window.under.pixel_of(point.x_mm, point.y_mm).toPoint())
        self.assertEqual(window.said.text(), "Red is on F1.1, black on F1.2.")
        self.press("Lift off")
        self.assertIsNone(self.server.bench.probe)

    def test_both_tips_by_keys_alone(self) -> None:
        self.server.hand({"do": "cell", "cell": "unplugged"})
        self.window.point.setFocus()
        QTest.keyClicks(self.window.point, "f1.1 F1.2")
        QTest.keyClick(self.window.point, Qt.Key.Key_Return)
        self.assertEqual(self.window.said.text(), "Red is on F1.1, black on F1.2.")
        QTest.keyClicks(self.window.point, "F1.1 Q9.9")
        QTest.keyClick(self.window.point, Qt.Key.Key_Return)
        self.assertIn("There is no point Q9.9", self.window.said.text())

    def test_a_unit_that_was_laid_over_the_wire_is_shown(self) -> None:
        self.server.hand({"do": "lay", "unit": "grip_bad"})
        self.window.refresh()
        self.assertIn("Tarnwick Grip", self.window.head.text())
        self.assertEqual(self.window.unit.currentData(), "grip_bad")

    def test_the_bottom_is_seen_turned_over(self) -> None:
        window = self.window
        window.unit.setCurrentIndex(window.unit.findData("grip_good"))
        self.press("Lay it here")
        window.cell.setCurrentIndex(window.cell.findData("unplugged"))
        self.press("Do it")
        self.press("Turn the board over")
        point = self.server.bench.board.point_by_id["C25.1"]
        QTest.mouseClick(window.under, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
                         window.under.pixel_of(point.x_mm, point.y_mm).toPoint())
        self.assertIn("The probe is on C25.1.", window.said.text())

    def test_with_the_cell_in_nothing_is_touched_and_with_power_on_nothing_is_laid(self) -> None:
        window = self.window
        QTest.mouseClick(window.under, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier,
                         window.under.rect().center())
        self.assertIn("cell is in", window.said.text())
        self.assertIsNone(window.under.red)
        self.press("Plug in")
        window.unit.setCurrentIndex(window.unit.findData("grip_good"))
        self.press("Lay it here")
        self.assertEqual((window.unit.currentData(), self.server.lying), (CAME_IN, CAME_IN))
        self.assertIn("Power is on", window.said.text())


if __name__ == "__main__":
    unittest.main()
