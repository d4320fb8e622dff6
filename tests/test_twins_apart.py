"""Twins that read apart on the only good board: what is known of their lines is as wide."""

from __future__ import annotations

import math
import unittest
from collections.abc import Mapping

from dextrum.core.board import Board, Method
from dextrum.core.packmaking.unlikely_nets import apart_in_pack
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.table import ReferenceTable, build_reference_table
from dextrum.core.reference.twins_apart import APART_VOLTS, twins_apart
from tests.support import duo_board, library
from tests.test_packmaking import first_rung
from tests.test_placing import put

RED = Method.DIODE_RED_GROUND
ODD: Mapping[str, float] = {"J1_B3": 0.528, "FL3_3": 0.528, "FL3_4": 0.527, "U3_X": 0.528}
USUAL = {"J1.A3": 0.45, "J1.B3": 0.45, "J1.A5": 0.58, "J1.B5": 0.58, "FL3.3": 0.45, "FL3.4": 0.45, "U3.X": 0.45}


def own_board() -> Board:
    """The filter in TX2's lines, and the chip behind it."""
    return put(first_rung(), "FL3 TX2P TX2P_B TX2N TX2N_B", "U3 X=TX2N_B Y=TX2P_B GND=GND")


def known(boards: float = 1, **changed: float) -> ReferenceTable:
    read = USUAL | {name.replace("_", "."): volts for name, volts in changed.items()}
    readings = [KnownGoodReading(f"GOOD-{k}", point, RED, "M1", volts, None, "2026-01-05")
                for k in range(int(boards)) for point, volts in read.items()]
    return build_reference_table(own_board(), readings, "M1")


class TwinsApartTest(unittest.TestCase):
    def spread(self, table: ReferenceTable, point: str) -> float:
        found = table.get(point, RED)
        assert found is not None
        return found.spread

    def test_alike_twins_change_nothing(self) -> None:
        self.assertEqual(twins_apart(own_board(), known().by_point, RED), ())
        self.assertLess(self.spread(known(), "U3.X"), 0.03)

    def test_both_lines_are_known_as_widely_as_they_lie_apart_all_along_their_copper(self) -> None:
        odd = known(**ODD)
        ((one, other, volts),) = twins_apart(own_board(), odd.by_point, RED)
        self.assertEqual({one, other}, {"J1.A3", "J1.B3"})
        self.assertAlmostEqual(volts, 0.078, places=6)
        for point in ("J1.A3", "J1.B3", "FL3.3", "FL3.4", "U3.X"):
            self.assertAlmostEqual(self.spread(odd, point), math.hypot(self.spread(known(), point), 0.078), places=4)
        for point in ("J1.A5", "J1.B5"):
            self.assertEqual(self.spread(odd, point), self.spread(known(), point))

    def test_three_good_boards_tell_by_themselves_and_a_little_is_nothing(self) -> None:
        self.assertEqual(twins_apart(own_board(), known(3, **ODD).by_point, RED), ())
        self.assertEqual(twins_apart(own_board(), known(J1_B3=0.45 + 0.9 * APART_VOLTS).by_point, RED), ())

    def test_open_at_one_of_two_is_another_thing(self) -> None:
        self.assertEqual(twins_apart(own_board(), known(J1_B3=math.inf).by_point, RED), ())

    def test_it_is_said_with_what_would_tell(self) -> None:
        (one,) = apart_in_pack(own_board(), known(**ODD))
        self.assertIn("0.078 V apart on good boards", one.words)
        self.assertEqual((one.touch, one.ends), ("read another good unit", ()))

    def test_shipped_boards_have_none(self) -> None:
        self.assertTrue(duo_board().ports[0].twins)
        for name in library().ids():
            board, references = library().board(name), library().references(name, "M1")
            self.assertEqual(twins_apart(board, references.by_point, RED), (), name)


if __name__ == "__main__":
    unittest.main()
