"""What copper is off by, with parts on the board or off it: it stays with the parts that stay, and a junction that is
another maker's reads so at every touch."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.board import Method
from dextrum.core.circuit.junction import TEST_AMPS, Junctions, log_saturation_current
from dextrum.core.diagnosis.carried_over import carried_over, volts_with_others_off
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.expected import Expected, again_spread
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.likelihood import log_density
from dextrum.core.diagnosis.own_deviation import deviation_at, share_of_junctions, taught_by
from dextrum.core.diagnosis.posterior import weigh_sets
from dextrum.core.diagnosis.shared_deviation import SharedDeviation, given_shared, with_reading
from dextrum.core.trail import Injection, Isolation, Payload, PointReading, Readings
from tests.support import board_out, duo_advice, trail_of

RED = Method.DIODE_RED_GROUND
EXPECTED = Expected(np.array([0.643, 0.40]), np.array([0.0035, 0.05]), 8.0, True, 0.0, 0.643, 0.0035)
"""A good board, and one with a fault whose size is hardly known."""


def half() -> float:
    """Of the two parts with a junction there, one is on the board now and was not."""
    return 0.5


def in_parallel(*drops: float) -> float:
    """What a meter shows of junctions side by side, each of which drops so many volts by itself; by halving."""
    log_is = np.array([log_saturation_current(drop) for drop in drops])
    low, high = 0.0, 3.0
    for _ in range(60):
        middle = (low + high) / 2.0
        if float(Junctions.of(log_is).amps(np.full(len(drops), middle))[0].sum()) > TEST_AMPS:
            high = middle
        else:
            low = middle
    return low


class LawTest(unittest.TestCase):
    """Against junctions that are solved, with their own series resistance."""

    def test_what_an_odd_junction_reads_with_its_neighbour_off(self) -> None:
        for off in (-0.12, -0.05, -0.01, 0.0, 0.02, 0.03):
            with self.subTest(off=off):
                stays, comes_off = 0.66, 0.70
                then, now = in_parallel(stays, comes_off), in_parallel(stays)
                read, wanted = in_parallel(stays + off, comes_off), in_parallel(stays + off)
                found = carried_over(read, np.array([True]), np.array([then]), np.array([now]), (then, now), half)
                assert found.carried is not None
                spread = float(found.carried.spread[0])
                self.assertAlmostEqual(float((1.0 + found.total[0]) * now), wanted, delta=spread)
                self.assertLess(spread, 0.006)

    def test_where_junctions_are_steeper_or_flatter_than_the_circuit_has_them(self) -> None:
        """n from 1.1 to 2 where it is 1.55: V = n Vt ln(I / Is), written down here."""
        for ideality in (1.1, 1.3, 1.8, 2.0):
            with self.subTest(n=ideality):
                scale = ideality * 0.02535

                def together(*drops: float, scale: float = scale) -> float:
                    return -scale * math.log(sum(math.exp(-drop / scale) for drop in drops))

                then, now = together(0.66, 0.70), together(0.66)
                for off in (-0.05, -0.02, 0.02):
                    found = carried_over(together(0.66 + off, 0.70), np.array([True]), np.array([then]),
                                         np.array([now]), (then, now), half)
                    assert found.carried is not None
                    self.assertAlmostEqual(float((1.0 + found.total[0]) * now), together(0.66 + off),
                                           delta=2.0 * float(found.carried.spread[0]))

    def test_and_with_it_back_on(self) -> None:
        stays, comes_back = 0.66, 0.70
        found, _ = volts_with_others_off(in_parallel(stays - 0.06), np.array([in_parallel(stays)]), np.array([
            in_parallel(stays, comes_back)]))
        self.assertAlmostEqual(float(found[0]), in_parallel(stays - 0.06, comes_back), delta=0.0015)

    def test_a_board_as_predicted_reads_as_predicted(self) -> None:
        then, now = np.linspace(0.3, 0.6, 7), np.linspace(0.31, 0.65, 7)
        for value, other in zip(then, now, strict=True):
            reads, _ = volts_with_others_off(value, np.array([value]), np.array([other]))
            self.assertAlmostEqual(float(reads[0]), other)

    def test_what_hardly_carried_anything_tells_nothing(self) -> None:
        self.assertTrue(math.isnan(float(volts_with_others_off(0.021, np.array([0.02]), np.array([0.64]))[0][0])))


class CarriedTest(unittest.TestCase):
    def test_rows_that_read_the_same_both_times_or_not_at_all_learn_nothing(self) -> None:
        then, now = np.array([0.6, 0.6, 0.6, math.inf]), np.array([0.6, 0.63, math.inf, math.inf])
        found = carried_over(0.55, np.array([True] * 4), then, now, (0.6, 0.63), half)
        np.testing.assert_array_equal(found.count, [0.0, 1.0, 0.0, 0.0])
        assert found.carried is not None
        np.testing.assert_array_equal(found.carried.gone, [0.0, 0.5, 0.0, 0.0])
        self.assertTrue(np.isfinite(found.total).all())

    def test_of_a_fault_that_came_off_with_its_part_nothing_is_left(self) -> None:
        """A leak of a size that is hardly known lowered it: with its part off the copper reads as a good board's."""
        found = carried_over(0.29, np.array([True, True]), np.array([0.31, 0.31]), np.array([0.41, 0.33]), (0.40, 0.41),
                             lambda: 0.0)
        np.testing.assert_array_equal(found.count, [0.0, 1.0])

    def test_what_was_read_with_the_same_parts_on_the_board_counts_before_it(self) -> None:
        same = with_reading(EXPECTED, SharedDeviation.unknown(2), 0.60)
        other = carried_over(0.55, np.array([True, True]), np.array([0.6, 0.6]), np.array([0.63, 0.63]), (0.6, 0.63),
                             half)
        both = same.or_else(other)
        np.testing.assert_array_equal(both.total[same.count > 0], same.total[same.count > 0])
        learned = both.as_it_is
        np.testing.assert_array_equal(learned.count, same.count)

    def test_it_lies_in_what_stays_or_came_off(self) -> None:
        """Read 45 mV low: with the neighbour off it reads low still, or as a good board does; nothing between."""
        now = Expected(np.array([0.66, 0.40]), EXPECTED.spreads, 8.0, True, 0.0, 0.66, 0.0035)
        shared = carried_over(0.598, np.array([True, False]), EXPECTED.means, now.means, (0.643, 0.66), half)
        low, between, high = (float(log_density(now, RED, value, shared=shared)[0]) for value in (0.603, 0.63, 0.66))
        self.assertAlmostEqual(low, high, delta=1.0)
        self.assertGreater(min(low, high), between + 3.0)
        alone = float(log_density(now, RED, 0.603)[0])
        self.assertGreater(low, alone + 3.0, "it was paid for at the first reading")


class OddForGoodTest(unittest.TestCase):
    def test_what_another_makers_junction_read_once_it_reads_again(self) -> None:
        shared = with_reading(EXPECTED, SharedDeviation.unknown(2), 0.595)
        again = given_shared(EXPECTED, shared)
        self.assertAlmostEqual(float(again.means[NOTHING_ROW]), 0.595, delta=0.0005)
        self.assertAlmostEqual(float(again.spreads[NOTHING_ROW]), float(again_spread(EXPECTED, RED)), delta=0.0002)

    def test_what_a_good_board_may_be_off_by_is_believed_by_half_only(self) -> None:
        shared = with_reading(EXPECTED, SharedDeviation.unknown(2), 0.638)
        self.assertGreater(float(given_shared(EXPECTED, shared).means[NOTHING_ROW]), 0.6382)


class OnTheBoardTest(unittest.TestCase):
    """A data line of the Duo that reads 47 mV low because a junction of the processor is another maker's."""

    LOW = (("J1.A7", 0.596), ("J1.B7", 0.597))

    def evidence(self, *more: Payload) -> tuple[float, float]:
        """ln likelihood of all readings of the line, where nothing is at fault, and where two contacts are crossed."""
        model = duo_advice().model
        at = trail_of(Readings(RED, tuple(PointReading(p, v) for p, v in self.LOW)), *more)
        evidence = gather_evidence(model, at)
        own = np.array([item.subject in ("J1.A7", "J1.B7") for item in evidence.items])
        crossed = np.flatnonzero(model.hypotheses.rows_mended(frozenset({"J1:crossed_contacts:A7:A8"})))
        said = evidence.log_likelihood[own]
        return float(said[:, NOTHING_ROW].sum()), float(said[:, crossed].sum(axis=0).max())

    def test_a_part_lifted_in_vain_is_not_held_against_the_good_board(self) -> None:
        """With the protection array off it reads as low as before: that there is an odd junction is known by then."""
        off = Isolation(("D2",), "off"), Readings(RED, (PointReading("J1.A7", 0.600),))
        nothing, crossed = self.evidence()
        nothing_off, crossed_off = self.evidence(*off)
        self.assertLess(abs((nothing_off - nothing) - (crossed_off - crossed)), 2.0)

    def test_if_it_reads_as_a_good_board_then_it_was_that_part(self) -> None:
        model = duo_advice().model
        back = model.isolating(frozenset({"D2"})).good_at("J1.A7", RED)
        low = Readings(RED, tuple(PointReading(p, v) for p, v in self.LOW))
        crossed = model.hypotheses.rows_mended(frozenset({"J1:crossed_contacts:A7:A8", "J1:crossed_contacts:B7:B8"}))
        before, after = (float(weigh_sets(model, gather_evidence(model, trail_of(low, *more))).rows[crossed].sum())
                         for more in ((), (Isolation(("D2",), "off"), Readings(RED, (
                             PointReading("J1.A7", back), PointReading("J1.B7", back))))))
        self.assertGreater(before, 10.0 * after)

    def test_parts_beyond_what_was_taken_off_count_as_off(self) -> None:
        whole = duo_advice().model
        self.assertAlmostEqual(share_of_junctions(whole, whole.isolating(frozenset({"D2"})), "J1.A7"), 0.5)
        self.assertAlmostEqual(share_of_junctions(whole, whole.isolating(frozenset({"FL4"})), "J1.A7"), 0.5)
        self.assertEqual(share_of_junctions(whole, whole, "J1.A7"), 0.0)

    def test_rows_that_differ_with_parts_off_are_carried_and_the_rest_as_ever(self) -> None:
        whole = duo_advice().model
        view = whole.isolating(frozenset({"D2"}))
        here = view.predicted_at("J1.A7", RED)
        assert here is not None
        shared = deviation_at((taught_by(view, RED, ("J1.A7", 0.596, frozenset()), 1.0),), here.values,
                              float(here.values[NOTHING_ROW]))
        assert shared.carried is not None
        self.assertEqual(float(shared.count[NOTHING_ROW]), 1.0)
        self.assertAlmostEqual(float(shared.carried.gone[NOTHING_ROW]), 0.5)


class OfASizeTest(unittest.TestCase):
    def test_loads_of_a_rail_that_is_pulled_down_half_way_come_off(self) -> None:
        """300 ohm on the system rail, whose size nothing tells: with the right capacitor off it reads well."""
        low = (Readings(RED, (PointReading("L3.2", 0.286),)),)
        warm_nowhere = tuple(Injection("SYS", 3.8, 0.26, "", how) for how in ("camera", "spray", "alcohol"))
        ohms = (Readings(Method.RESISTANCE, (PointReading("C22.1-2", 300.0),)),)
        ranked = assess(duo_advice(), trail_of(*board_out("no_charge"), *2 * low, *2 * ohms, *warm_nowhere),
                        explain=False).advice.ranked
        self.assertIn("isolate", [action.kind for action in ranked[:2]])


if __name__ == "__main__":
    unittest.main()
