"""Touches that slipped on the only good board, told by the rest of the copper."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from dextrum.core.board import Method
from dextrum.core.board.sources import SourceKind, net_of_end, with_sources
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.core.reference.slips_on_copper import slips_on_copper
from dextrum.core.reference.table import build_reference_table
from tests.support import duo_board

RED = Method.DIODE_RED_GROUND
SUPPLY = ["J1.A4", "J1.A9", "J1.B4", "J1.B9"]
NONE = math.nan
OPEN = math.inf


class SlipsTest(unittest.TestCase):
    def told(self, *volts: float, points: list[str] = SUPPLY) -> tuple[list[bool], list[bool]]:
        opens, off = slips_on_copper(duo_board(), points, np.array([volts]))
        return opens[0].tolist(), off[0].tolist()

    def test_a_number_apart_from_the_rest_is_a_slip(self) -> None:
        self.assertEqual(self.told(0.502, 0.563, 0.509, 0.505), ([False] * 4, [False, True, False, False]))
        self.assertEqual(self.told(0.502, 0.440, NONE, 0.505), ([False] * 4, [False, True, False, False]))

    def test_what_a_hand_leaves_is_none(self) -> None:
        self.assertEqual(self.told(0.502, 0.520, 0.509, 0.505), ([False] * 4, [False] * 4))

    def test_where_the_others_do_not_agree_nothing_is_told(self) -> None:
        self.assertEqual(self.told(0.44, 0.50, 0.56, 0.505)[1], [False] * 4)
        self.assertEqual(self.told(0.502, 0.563, NONE, NONE)[1], [False] * 4)

    def test_open_beside_numbers_is_a_slip_and_numbers_beside_open_are_none(self) -> None:
        self.assertEqual(self.told(0.502, OPEN, 0.509, 0.505)[0], [False, True, False, False])
        self.assertEqual(self.told(OPEN, OPEN, OPEN, 0.505)[0], [False] * 4)

    def test_of_twins_that_are_no_copper_only_open_tells(self) -> None:
        self.assertEqual(self.told(OPEN, 0.597, points=["J1.A8", "J1.B8"]), ([True, False], [False, False]))
        self.assertEqual(self.told(OPEN, OPEN, points=["J1.A8", "J1.B8"])[0], [False, False])
        self.assertEqual(self.told(0.4, 0.597, points=["J1.A8", "J1.B8"])[1], [False, False])

    def test_of_an_end_whose_net_is_not_sure_nothing_is_told(self) -> None:
        board = replace(duo_board(), sources=with_sources((), [net_of_end("J1.A9", SourceKind.GUESSED)]))
        _, off = slips_on_copper(board, SUPPLY, np.array([[0.502, 0.563, 0.509, 0.505]]))
        self.assertFalse(off.any())


def read_of(*boards: str) -> list[KnownGoodReading]:
    return [KnownGoodReading(board, point, RED, "M1", value, None, "2026-01-05") for board in boards
            for point, value in zip(SUPPLY, (0.502, 0.563, 0.509, 0.505), strict=True)]


class TableTest(unittest.TestCase):
    def test_it_is_left_out_of_the_only_board_and_named(self) -> None:
        table = build_reference_table(duo_board(), read_of("G1"), "M1")
        self.assertIsNone(table.get("J1.A9", RED))
        self.assertEqual([(one.point, one.value) for one in table.outliers], [("J1.A9", 0.563)])
        self.assertIsNotNone(table.get("J1.A4", RED))

    def test_where_every_board_reads_so_the_board_is_so(self) -> None:
        table = build_reference_table(duo_board(), read_of("G1", "G2", "G3", "G4"), "M1")
        self.assertIsNotNone(table.get("J1.A9", RED))
