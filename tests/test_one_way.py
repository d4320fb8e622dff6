"""A fault moves a point one way, whatever its size: what reads higher than a good board is no short."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.advice.outcomes import GOOD, shares_of
from dextrum.core.board import Method
from dextrum.core.diagnosis.expected import Expected, expected_of_sets, held_to_side
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.joint_predictions import joint_values
from dextrum.core.diagnosis.likelihood import log_density
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, with_reading
from dextrum.core.log_student import log_student
from tests.support import as_good, board_out, duo_advice, trail_of

RED = Method.DIODE_RED_GROUND
CENTRE, BASE, FREEDOM = 0.53, 0.007, 10.0


def expected(*rows: tuple[float, float]) -> Expected:
    """A good board first, then rows with these means and spreads."""
    means, spreads = zip((CENTRE, BASE), *rows, strict=True)
    return Expected(np.array(means), np.array(spreads), FREEDOM, True, 0.0, CENTRE, BASE)


class HeldToSideTest(unittest.TestCase):
    WIDE = (0.32, 0.11)

    def test_a_short_of_unknown_size_is_as_a_good_board_above_it(self) -> None:
        held, chance = held_to_side(expected(self.WIDE), 0.63)
        assert chance is not None
        self.assertEqual([(CENTRE, BASE)] * 2, list(zip(held.means.tolist(), held.spreads.tolist(), strict=True)))
        self.assertEqual(0.0, chance[0])
        # How likely it comes as near to a good board as that: its density there for that of a good board.
        by_hand = math.log(BASE / 0.11 * (1.0 + ((CENTRE - 0.32) / 0.11) ** 2 / FREEDOM) ** -5.5)
        self.assertAlmostEqual(by_hand, float(chance[1]), places=9)

    def test_on_its_own_side_it_stays_as_it_is(self) -> None:
        for value in (0.1, 0.4, CENTRE):
            before = expected(self.WIDE)
            self.assertIs(before, held_to_side(before, value)[0])

    def test_a_line_that_has_lost_a_junction_reads_no_lower(self) -> None:
        held, chance = held_to_side(expected((0.6, 0.05)), 0.45)
        assert chance is not None
        self.assertEqual(CENTRE, held.means[1])
        self.assertLess(chance[1], 0.0)

    def test_what_says_less_by_its_own_spread_keeps_it(self) -> None:
        before = expected((CENTRE - 3 * BASE, 1.01 * BASE))
        self.assertIs(before, held_to_side(before, CENTRE + 2 * BASE)[0])

    def test_an_open_and_a_set_that_moves_it_both_ways_are_left_alone(self) -> None:
        for before in (expected((math.inf, 0.11)),
                       replace(expected(self.WIDE), both_ways=np.array([False, True]))):
            self.assertIs(before, held_to_side(before, 0.63)[0])

    def test_nothing_is_held_where_a_good_board_reads_open(self) -> None:
        before = replace(expected(self.WIDE), centre=math.inf)
        self.assertIs(before, held_to_side(before, 0.63)[0])

    def test_no_row_gains_by_it_and_none_below_changes(self) -> None:
        generator = np.random.default_rng(5)
        for _ in range(300):
            mean, spread = generator.uniform(0.0, 1.0), BASE * generator.uniform(1.0, 30.0)
            value = generator.uniform(0.0, 1.2)
            plain = log_student(value, mean, spread, FREEDOM)
            held, chance = held_to_side(expected((mean, spread)), value)
            now = log_student(value, held.means[1], held.spreads[1], FREEDOM) + (0.0 if chance is None else chance[1])
            self.assertLessEqual(now, plain + 1e-12)
            if (mean - CENTRE) * (value - CENTRE) >= 0.0:
                self.assertEqual(plain, now)

    def test_the_chance_counts_once_for_the_readings_of_one_copper(self) -> None:
        before = expected(self.WIDE)
        first = log_density(before, RED, 0.56)
        learned = with_reading(before, SharedDeviation.unknown(2), 0.56)
        second = log_density(before, RED, 0.561, shared=learned)
        self.assertLess(first[1], first[0] - 2.0)
        self.assertAlmostEqual(second[0], second[1], delta=0.1)

    def test_a_touch_above_a_good_board_is_no_second_reading_of_a_leak(self) -> None:
        """One contact reads 5 mV low, the other 15 mV high: whatever the size of a leak, both read alike under it."""
        before = expected((0.50, 0.015))
        learned = with_reading(before, SharedDeviation.unknown(2), CENTRE - 0.005)
        second = log_density(before, RED, CENTRE + 0.015, shared=learned)
        self.assertLess(second[1], second[0] + 0.5)

    def test_what_is_an_outlier_for_a_row_teaches_it_nothing(self) -> None:
        learned = with_reading(expected((0.025, 0.0108)), SharedDeviation.unknown(2), 0.56)
        self.assertEqual([1, 0], learned.count.tolist())


class OutcomesTest(unittest.TestCase):
    def test_no_short_is_expected_to_read_high_and_no_lost_junction_low(self) -> None:
        # Something else has a place of its own, the second.
        shares = shares_of(expected((CENTRE, BASE), (0.45, 0.08), (0.6, 0.05), (math.inf, 0.1)), RED)
        np.testing.assert_allclose(1.0, shares.sum(axis=0), rtol=1e-6)
        self.assertLess(shares[3, 2], 0.01)
        self.assertGreater(shares[GOOD, 2], 0.25)
        self.assertLess(shares[0, 3] + shares[1, 3], 0.01)
        self.assertGreater(shares[3, 3], 0.5)
        self.assertGreater(shares[4, 4], 0.8)


class OnABoardTest(unittest.TestCase):
    def test_a_rail_that_reads_high_convicts_no_capacitor_of_a_short(self) -> None:
        high = {"J4.1": 0.631, "R2.1": 0.63, "R2.2": 0.63, "R4.2": 0.631}
        done = assess(duo_advice(), trail_of(*board_out("code_T47"), *2 * as_good(but=high)), explain=False)
        model = duo_advice().model
        shorts = [k for k, fault in enumerate(model.hypotheses.faults)
                  if fault.kind.value == "partial_short" and fault.part in ("C45", "C46", "C47", "U6")]
        self.assertLess(float(done.posterior.faults[shorts].sum()), 0.05)

    def test_a_short_beside_an_open_joint_may_read_either_way(self) -> None:
        model = duo_advice().model
        at = {fault.id: k for k, fault in enumerate(model.hypotheses.faults)}

        def row(name: str) -> int:
            return int(np.flatnonzero(model.hypotheses.fault_of_row == at[name])[-1])

        both = (row("U6:lifted_joint:OUT"), row("C45:partial_short:1"))
        sets = np.array([sorted(both), (both[1], NO_ROW)])
        values, touched = joint_values(model, sets, "R2.1", RED)
        found = expected_of_sets(model, "R2.1", RED, sets, values, touched)
        assert found.both_ways is not None
        self.assertEqual([True, False], found.both_ways.tolist())


if __name__ == "__main__":
    unittest.main()
