"""What the readings of one copper have in common: how far a board is off, how large a fault is, what a leak reads."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from dextrum.core.assumptions.readings import LEAK_VOLTS, OPEN_READS_NUMBER, TOUCH_VOLTS
from dextrum.core.board import Method
from dextrum.core.diagnosis.expected import Expected, again_spread
from dextrum.core.diagnosis.likelihood import log_density
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, given_shared, with_reading

RED = Method.DIODE_RED_GROUND
GOOD, LEAKY, OPEN = range(3)
"""A good board, one with a leak of a size that is hardly known, and one whose line has parted."""
EXPECTED = Expected(np.array([0.58, 0.45, math.inf]), np.array([0.009, 0.06, 0.036]), 8.0, True, 0.0, 0.58, 0.009)


def density(value: float, *before: float) -> np.ndarray:
    """Of each of the three, given what the same copper has read."""
    shared = SharedDeviation.unknown(3)
    for read in before:
        shared = with_reading(EXPECTED, shared, read)
    return np.asarray(np.exp(log_density(EXPECTED, RED, value, shared=shared if before else None)))


class SizeTest(unittest.TestCase):
    def test_how_large_a_leak_is_is_the_same_at_the_next_touch(self) -> None:
        self.assertGreater(density(0.50, 0.50)[LEAKY], 10.0 * density(0.50)[LEAKY])
        self.assertLess(density(0.48, 0.50)[LEAKY], 0.05 * density(0.50, 0.50)[LEAKY])

    def test_its_touches_scatter_no_more_than_those_of_a_good_board(self) -> None:
        both = [given_shared(EXPECTED, with_reading(EXPECTED, SharedDeviation.unknown(3), volts)).spreads[row]
                for volts, row in ((0.58, GOOD), (0.45, LEAKY))]
        self.assertAlmostEqual(both[0], both[1], delta=0.0006)

    def test_a_thousand_readings_leave_the_touch(self) -> None:
        shared = SharedDeviation(np.zeros(3), np.full(3, 1000.0), np.full(3, math.nan))
        left = given_shared(EXPECTED, shared).spreads[GOOD]
        self.assertAlmostEqual(left, float(again_spread(EXPECTED, RED, 1000.0)), delta=2e-5)
        self.assertGreater(left, TOUCH_VOLTS)


class LeakTest(unittest.TestCase):
    def test_what_has_parted_and_leaks_reads_the_same_at_every_point(self) -> None:
        anew, again, other = density(0.7)[OPEN], density(0.7, 0.701)[OPEN], density(0.7, 0.9)[OPEN]
        self.assertGreater(again, 100.0 * anew)
        self.assertLess(other, anew)

    def test_open_after_a_number_is_a_slip_of_the_hand(self) -> None:
        self.assertLess(density(math.inf, 0.7)[OPEN], 0.2)
        self.assertGreater(density(math.inf)[OPEN], 0.8)

    def test_a_number_no_leak_reads_teaches_nothing(self) -> None:
        self.assertAlmostEqual(density(0.7, LEAK_VOLTS[0] - 0.1)[OPEN], density(0.7)[OPEN])

    def test_the_densities_of_a_leak_add_up_to_one(self) -> None:
        """Over all volts and OL, whatever was read before; the broad part reaches up to what a meter shows."""
        volts = np.linspace(0.0005, 3.2, 12_801)
        for before in ((), (0.7,), (1.9, 1.9)):
            numbers = sum(density(float(v), *before)[OPEN] for v in volts[::4]) * (volts[4] - volts[0])
            whole = numbers + density(math.inf, *before)[OPEN]
            self.assertAlmostEqual(whole, 1.0, delta=0.02 + OPEN_READS_NUMBER)

    def test_where_a_good_board_reads_ol_nothing_has_parted(self) -> None:
        never = replace(EXPECTED, opens=False)
        shared = with_reading(never, SharedDeviation.unknown(3), 0.7)
        np.testing.assert_allclose(log_density(never, RED, 0.7, shared=shared)[OPEN],
                                   log_density(never, RED, 0.7)[OPEN])
