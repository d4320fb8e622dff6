"""What a pack made by hand believes: a slip on the one good unit, junctions whose shares are guessed, lines of chips
that no function names, and a port put where it lies."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from typing import ClassVar

from dextrum.app.packmaking.circuits import circuits
from dextrum.core.assumptions.packs import RAISED_VOLTS, SHARES_GUESSED
from dextrum.core.assumptions.readings import WRONG_POINT
from dextrum.core.board import Board, FactSource, Function, Method, Side, SourceKind
from dextrum.core.board.consistency import inconsistencies
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.likelihood import CONTACT_FAILURE, log_density
from dextrum.core.diagnosis.model import build_model
from dextrum.core.packmaking.circuit_template import CircuitTemplate, with_circuit
from dextrum.core.packmaking.first_rung import described
from dextrum.core.packmaking.netting import Touch
from dextrum.core.packmaking.placing import parse_part, with_part, without_part
from dextrum.core.packmaking.port_place import port_named
from dextrum.core.packmaking.port_template import TEMPLATES, own_socket
from dextrum.core.packmaking.probing import with_nets
from dextrum.core.packmaking.second_rung import REST, with_good_unit
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import NO_REFERENCES, build_reference_table
from tests.support import duo_advice, duo_board

RED = Method.DIODE_RED_GROUND


def known(board: str, values: dict[str, float], method: Method = RED) -> list[KnownGoodReading]:
    return [KnownGoodReading(board, point, method, "M1", value) for point, value in values.items()]


class SlipOnCopperTest(unittest.TestCase):
    """One contact of four read open on the only good unit."""

    GROUND: ClassVar = {"J1.A1": 0.001, "J1.A12": 0.0, "J1.B1": math.inf, "J1.B12": 0.001}

    def test_open_beside_its_own_copper_is_left_out_and_told(self) -> None:
        table = build_reference_table(duo_board(), known("G1", self.GROUND), "M1")
        self.assertIsNone(table.get("J1.B1", RED))
        self.assertIsNotNone(table.get("J1.A1", RED))
        self.assertEqual([(o.board, o.point) for o in table.outliers], [("G1", "J1.B1")])

    def test_with_one_other_point_nobody_can_tell(self) -> None:
        table = build_reference_table(duo_board(), known("G1", {"J1.A1": 0.0, "J1.B1": math.inf}), "M1")
        found = table.get("J1.B1", RED)
        assert found is not None
        self.assertEqual(found.centre, math.inf)

    def test_where_the_pack_is_not_sure_of_its_net_it_stays(self) -> None:
        unsure = replace(duo_board(), sources=(FactSource("net J1.B1", SourceKind.TEMPLATE),))
        found = build_reference_table(unsure, known("G1", self.GROUND), "M1").get("J1.B1", RED)
        assert found is not None
        self.assertEqual(found.centre, math.inf)

    def test_several_boards_that_all_read_open_there_say_so(self) -> None:
        readings = [r for k in range(3) for r in known(f"G{k}", self.GROUND)]
        found = build_reference_table(duo_board(), readings, "M1").get("J1.B1", RED)
        assert found is not None
        self.assertEqual(found.centre, math.inf)

    def test_ohms_are_left_alone(self) -> None:
        table = build_reference_table(duo_board(), known("G1", self.GROUND, Method.RESISTANCE), "M1")
        self.assertIsNotNone(table.get("J1.B1", Method.RESISTANCE))


def socket_board(*parts: str) -> Board:
    """Charging contacts of which a good unit was read, and parts behind them."""
    board = described("Tarnwick Reed", "A", own_socket(["VIN", "DAT", "GND"]))
    board = with_good_unit(board, {"J1.A1": 0.53, "J1.A2": 0.64, "J1.A3": 0.0})
    for k, text in enumerate(parts):
        board = with_part(board, parse_part(text), Side.TOP, 6.0 + 5.0 * k, 8.0)
    return board


class SharesTest(unittest.TestCase):
    def test_an_array_that_probing_put_on_a_line_takes_its_share(self) -> None:
        board = socket_board("D1 3")
        touches = [Touch("D1.1", "J1.A1", True), Touch("D1.2", "J1.A2", True), Touch("D1.3", "J1.A3", True)]
        volts = {"D1.1": 0.53, "D1.2": 0.64, "D1.3": 0.0, "J1.A1": 0.53, "J1.A2": 0.64, "J1.A3": 0.0}
        grown = with_nets(board, volts, [t for t in touches for _ in range(4)])
        self.assertEqual([grown.net_of(f"D1.{k}") for k in (1, 2, 3)], ["VIN", "DAT", "GND"])
        at = {t.net: t.junction_volts for t in grown.component_by_designator["D1"].terminals}
        rest = {t.name: t.junction_volts for t in grown.component_by_designator[REST].terminals}
        self.assertEqual((at["VIN"], at["DAT"]), (rest["VIN"], rest["DAT"]))
        assert at["VIN"] is not None
        self.assertGreater(at["VIN"], 0.53)
        model = build_model(grown, NO_REFERENCES)
        healthy = model.predictions(RED)
        self.assertAlmostEqual(float(healthy.values[0, healthy.column["J1.A1"]]), 0.53, delta=0.015)

    def test_by_hand_what_an_open_fuse_leaves_may_read_anywhere_above(self) -> None:
        board = socket_board("F1 VIN VIN_F", "D1 VIN DAT GND")
        model = build_model(board, build_reference_table(board, known("G", {"J1.A1": 0.53}), "M1"))
        expected = expected_at(model, "J1.A1", RED)
        assert expected is not None and expected.raised is not None
        blown = next(r for r in range(model.hypotheses.count)
                     if model.hypotheses.fault_of_row[r] >= 0
                     and model.hypotheses.faults[int(model.hypotheses.fault_of_row[r])].id == "F1:blown_fuse:1:2")
        self.assertTrue(expected.raised[blown])
        self.assertFalse(expected.raised[0])
        narrow = replace(expected, raised=None)
        for volts, over in ((0.75, True), (0.53, False), (0.53 + RAISED_VOLTS + 0.1, False), (0.3, False)):
            broad = WRONG_POINT / 2.0
            plain = math.exp(log_density(narrow, RED, volts)[blown]) - broad
            wide = math.exp(log_density(expected, RED, volts)[blown]) - broad
            clean = 1.0 - CONTACT_FAILURE - WRONG_POINT
            self.assertAlmostEqual(wide, (1.0 - SHARES_GUESSED) * plain + clean * SHARES_GUESSED / RAISED_VOLTS * over,
                                   places=9)

    def test_a_pack_that_describes_all_guesses_nothing(self) -> None:
        expected = expected_at(duo_advice().model, "J1.A4", RED)
        assert expected is not None
        self.assertIsNone(expected.raised)


class LinesOfChipsTest(unittest.TestCase):
    def template(self) -> CircuitTemplate:
        return circuits()[0]["socket-charger"]

    def laid(self, *parts: str) -> dict[str, Function]:
        chosen = {"charger": ("U1",), **({"main": ("U2",)} if any(p.startswith("U2") for p in parts) else {})}
        board = with_circuit(socket_board(*parts), self.template(), chosen)
        self.assertEqual(list(inconsistencies(board)), [])
        return {function.id: function for function in board.functions}

    def test_what_only_one_chip_has_serves_that_chip(self) -> None:
        found = self.laid("U1 VIN=VIN ISET=ISET GND=GND", "R3 ISET GND")
        self.assertIn("ISET", found["inside"].nets_through)
        self.assertNotIn("ISET", found["boot"].nets_through)

    def test_a_bus_between_chips_serves_what_asks_for_it(self) -> None:
        found = self.laid("U1 VIN=VIN SCL=SCL SYS=SYS GND=GND", "U2 VDD=V3V3 SCL=SCL GND=GND",
                          "U3 IN=SYS OUT=V3V3 GND=GND")
        self.assertIn("SCL", found["boot"].nets_through)
        self.assertNotIn("SCL", found["inside"].nets_through)
        self.assertIn("V3V3", found["boot"].nets_clear)  # a rail that several chips hang on must be clear

    def test_lines_that_are_named_ground_the_port_and_unknown_ends_are_not_added(self) -> None:
        found = self.laid("U1 VIN=VIN DAT=DAT X=? GND=GND", "U2 DAT=DAT Y=? GND=GND")
        added = {net for function in found.values() for net in function.nets_through}
        self.assertNotIn("GND", added)
        self.assertNotIn("DAT", found["boot"].nets_through)  # of the port: its own functions speak of it
        self.assertFalse({net for net in added if "?" in net or net.startswith("N_")})


    def test_a_chip_goes_off_again_with_the_lines_that_only_it_had(self) -> None:
        board = with_circuit(socket_board("U1 VIN=VIN ISET=ISET SCL=SCL GND=GND", "U2 VDD=V3V3 SCL=SCL GND=GND"),
                             self.template(), {"charger": ("U1",), "main": ("U2",)})
        self.assertIn("ISET", {net for f in board.functions for net in f.nets_through})
        left = without_part(board, "U1")
        self.assertEqual(list(inconsistencies(left)), [])
        named = {net for f in left.functions for net in (*f.nets_through, *f.nets_clear)}
        self.assertNotIn("ISET", named)
        self.assertIn("SCL", named, "what another chip is on stays")


class PortPlaceTest(unittest.TestCase):
    def test_contacts_stretch_and_go_along(self) -> None:
        board = described("Tarnwick Reed", "A", own_socket(["VIN", "VIN", "DAT", "GND"]))
        port = port_named(board, "j1 12x3.4")
        part = parse_part("j1 12x3.4", port)
        there = with_part(board, part, Side.TOP, 20.0, 10.0)
        for point, x_mm in zip(there.points, (15.5, 18.5, 21.5, 24.5), strict=True):
            self.assertAlmostEqual(point.x_mm, x_mm, delta=0.02)
            self.assertEqual(point.y_mm, 10.0)
        self.assertEqual(there.component_by_designator["J1"].width_mm, 12.0)
        self.assertEqual(len(there.components), len(board.components))
        kept = with_part(there, parse_part("J1", port_named(there, "J1")), Side.BOTTOM, 30.0, 12.0)
        first = kept.points[0]
        self.assertEqual((first.side, round(first.x_mm, 1), kept.component_by_designator["J1"].width_mm),
                         (Side.BOTTOM, 25.5, 12.0))

    def test_a_receptacle_keeps_the_shape_of_its_contacts(self) -> None:
        board = described("Tarnwick Reed", "A", TEMPLATES["usb-c-16"])
        before = {p.id: (p.x_mm, p.y_mm) for p in board.points}
        port = board.component_by_designator["J1"]
        there = with_part(board, parse_part("J1", port), Side.TOP, port.x_mm + 3.0, port.y_mm - 8.0)
        for point in there.points:
            if point.to is None:
                self.assertAlmostEqual(point.x_mm, before[point.id][0] + 3.0)
                self.assertAlmostEqual(point.y_mm, before[point.id][1] - 8.0)

    def test_what_is_wrong_is_refused_in_words(self) -> None:
        board = described("Tarnwick Reed", "A", own_socket(["VIN", "GND"]))
        port = board.component_by_designator["J1"]
        with self.assertRaisesRegex(ValueError, "contacts already; expected its size"):
            parse_part("J1 VIN GND", port)
        with self.assertRaisesRegex(ValueError, "beside the board"):
            with_part(board, parse_part("J1", port), Side.TOP, 400.0, 10.0)
        self.assertIsNone(port_named(board, "C1"))
        self.assertIsNone(port_named(board, ""))
        self.assertIsNone(port_named(None, "J1"))


if __name__ == "__main__":
    unittest.main()
