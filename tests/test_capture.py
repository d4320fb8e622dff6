"""Settling, the wrong point, and the walk: with known answers, and on many seeded touches."""

from __future__ import annotations

import unittest
from math import inf, isnan

import numpy as np

from dextrum.benchmarks.capture import touches, wrong_points
from dextrum.benchmarks.walks import RATES, walked
from dextrum.core.capture.settling import DIODE_TEST, Settling, SettlingTest
from dextrum.core.capture.walk import (
    Asks,
    CaptureWalk,
    Contact,
    HandTimes,
    Hearing,
    NeedsProbe,
    Next,
    Over,
    Recorded,
    Struck,
    Tap,
)
from dextrum.core.capture.wrong_point import Expectation, near_hand, other_point
from dextrum.instruments.simulated_touch import TouchHabits
from tests.support import duo_advice

RATE = 0.1


def fed(settling: Settling, values: list[float], start: float = 0.0) -> list[float]:
    return [settling.add(start + RATE * k, value) for k, value in enumerate(values)]


class SettlingTestCase(unittest.TestCase):
    def test_a_value_that_stands_is_settled_after_four_readings(self) -> None:
        found = fed(Settling(DIODE_TEST), [0.512, 0.512, 0.513, 0.512])
        self.assertTrue(all(isnan(v) for v in found[:3]))
        self.assertAlmostEqual(found[3], 0.5125, places=4)

    def test_a_value_that_drifts_is_not(self) -> None:
        found = fed(Settling(DIODE_TEST), [0.500 + 0.004 * k for k in range(20)])
        self.assertTrue(all(isnan(v) for v in found))

    def test_ol_and_a_jump_begin_anew(self) -> None:
        settling = Settling(DIODE_TEST)
        fed(settling, [0.512, 0.512, inf])
        self.assertTrue(all(isnan(v) for v in fed(settling, [0.512, 0.512, 0.512], 0.3)))
        self.assertTrue(isnan(settling.add(0.6, 0.540)))

    def test_time_that_goes_back_begins_anew(self) -> None:
        settling = Settling(DIODE_TEST)
        fed(settling, [0.5] * 3, 5.0)
        self.assertTrue(isnan(settling.add(1.0, 0.5)))

    def test_the_test_is_stated(self) -> None:
        self.assertEqual(DIODE_TEST.words, "within 6 mV over 300 ms at 95 % confidence")
        self.assertEqual(SettlingTest(0.03, relative=True).words, "within 3 % over 300 ms at 95 % confidence")

    def test_a_tighter_test_never_settles_sooner(self) -> None:
        for seed in range(40):
            generator = np.random.default_rng(seed)
            values = (0.5 + 0.1 * np.exp(-np.arange(40) / 3.0) + generator.normal(0, 0.0006, 40)).tolist()
            first = []
            for within in (0.012, 0.006, 0.0035):
                found = fed(Settling(SettlingTest(within=within)), values)
                first.append(next((k for k, v in enumerate(found) if not isnan(v)), 99))
            self.assertEqual(first, sorted(first))


ROW = {f"P{k}": Expectation(centre, 0.006, 0.6 * k, 0.0)
       for k, centre in enumerate((0.454, 0.455, 0.504, 0.585, 0.644, 0.643, 0.593))}


class WrongPointTest(unittest.TestCase):
    def test_a_neighbours_value_is_noticed_and_its_own_is_not(self) -> None:
        near = near_hand("P3", ROW)
        self.assertAlmostEqual(sum(near.values()), 1.0)
        self.assertEqual(other_point("P3", 0.504, ROW, near), "P2")
        self.assertEqual(other_point("P3", 0.586, ROW, near), "")

    def test_a_faulty_reading_that_fits_no_neighbour_is_its_own(self) -> None:
        near = near_hand("P3", ROW)
        for value in (0.0, 0.02, 0.3, 0.545, 0.9, inf):
            self.assertEqual(other_point("P3", value, ROW, near), "", value)

    def test_twins_are_never_asked_about(self) -> None:
        self.assertEqual(other_point("P4", 0.643, ROW, near_hand("P4", ROW)), "")

    def test_without_a_known_good_nothing_is_asked(self) -> None:
        self.assertEqual(other_point("X", 0.5, ROW, {}), "")
        self.assertEqual(near_hand("X", ROW), {})


class ManyTouchesTest(unittest.TestCase):
    """A smaller share of what the benchmark measures, so that a change for the worse is seen at once."""

    def test_touches_are_heard_true_in_time_and_never_while_bouncing(self) -> None:
        heard = list(touches(600, 11))
        self.assertNotIn(None, heard)
        known = [t for t in heard if t is not None]
        self.assertEqual(sum(t.bouncing for t in known), 0)
        self.assertLess(float(np.quantile([abs(t.error) for t in known], 0.99)), 2.576 * TouchHabits().noise)
        self.assertLess(float(np.quantile([t.late for t in known], 0.99)), 0.4)

    def test_the_next_contact_is_noticed_and_few_right_ones_are_asked_about(self) -> None:
        noticed, _, false = wrong_points(duo_advice().model, 12, 5)
        self.assertGreater(noticed, 0.8)
        self.assertLess(false, 0.02)


class Hand:
    """Feeds a walk at ten readings a second, or fewer."""

    def __init__(self, walk: CaptureWalk, every: float = RATE) -> None:
        self.walk, self.now, self.every = walk, 0.0, every

    def shows(self, value: float, count: int = 1) -> list[object]:
        found: list[object] = []
        for _ in range(count):
            self.now += self.every
            found += self.walk.sample(self.now, value)
        return found


class WalkTest(unittest.TestCase):
    def setUp(self) -> None:
        self.walk = CaptureWalk(("P0", "P2", "P3"), ROW)
        self.hand = Hand(self.walk)

    def test_a_touch_is_heard_settled_recorded_and_goes_on(self) -> None:
        self.assertEqual(self.hand.shows(inf, 45), [], "nobody has touched anything yet")
        found = self.hand.shows(0.454, 4)
        self.assertEqual(found, [Contact("P0"), Recorded("P0", 0.454), Next("P2")])
        self.assertEqual(self.hand.shows(0.454, 30), [], "it is held on, and not recorded again")
        self.hand.shows(inf, 3)
        self.assertEqual(self.hand.shows(0.504, 4)[1:], [Recorded("P2", 0.504), Next("P3")])
        self.hand.shows(inf, 3)
        self.assertEqual(self.hand.shows(0.585, 4)[1:], [Recorded("P3", 0.585), Over()])
        self.assertEqual((self.walk.point, self.hand.shows(0.5, 9)), ("", []))

    def test_a_single_ol_while_held_is_no_lifting_off(self) -> None:
        self.hand.shows(0.454, 4)
        self.hand.shows(inf)
        self.assertEqual(self.hand.shows(0.454, 20), [])

    def test_ol_that_is_held_is_open_twice_and_then_the_probe_is_asked_for(self) -> None:
        walk = CaptureWalk(("P0", "P1", "P2", "P3"), ROW)
        hand = Hand(walk)
        hand.shows(0.454, 4)
        self.assertEqual(hand.shows(inf, 36), [])
        self.assertEqual(hand.shows(inf, 8), [Recorded("P1", inf, True), Next("P2")])
        self.assertEqual(hand.shows(inf, 60), [], "a second one in a row is held twice as long")
        self.assertEqual(hand.shows(inf, 14), [Recorded("P2", inf, True), Next("P3")])
        self.assertEqual(hand.shows(inf, 120), [NeedsProbe("P3")])
        self.assertEqual(hand.shows(0.585, 4), [Contact("P3"), Recorded("P3", 0.585), Over()])

    def test_what_never_settles_is_said_and_not_recorded(self) -> None:
        for k in range(60):
            self.assertLessEqual(len(self.hand.shows(0.4 + 0.1 * (k % 2))), 1)
            if k in (30, 50):
                self.assertEqual(self.walk.wavers(self.hand.now), k == 50)
        self.assertEqual(self.walk.point, "P0")

    def test_probes_in_the_air_are_no_open_point(self) -> None:
        self.assertEqual(self.hand.shows(inf, 2000), [])
        self.assertEqual(self.walk.point, "P0")

    def test_a_slow_meter_needs_one_ol_to_hear_that_it_was_lifted(self) -> None:
        hand = Hand(self.walk, 0.4)
        events = [*hand.shows(0.454, 5), *hand.shows(inf, 1), *hand.shows(0.454, 1)]
        self.assertEqual([e for e in events if isinstance(e, Recorded)], [Recorded("P0", 0.454)])
        self.assertIsInstance(events[-1], Contact)

    def test_a_slow_meter_may_go_straight_to_the_next_point(self) -> None:
        hand = Hand(self.walk, 0.4)
        hand.shows(0.454, 5)
        self.assertTrue(any(isinstance(e, Contact) for e in hand.shows(0.6, 1)))

    def test_lifting_off_too_early_records_nothing(self) -> None:
        self.assertEqual(self.hand.shows(0.454, 3), [Contact("P0")])
        self.assertEqual(self.hand.shows(inf, 4), [])
        self.assertEqual(self.walk.point, "P0")

    def test_the_wrong_point_is_asked_about_and_answered(self) -> None:
        self.hand.shows(0.454, 4)
        self.hand.shows(inf, 3)
        self.assertEqual(self.hand.shows(0.585, 4)[1:], [Asks("P2", "P3", 0.585)])
        self.assertEqual(self.hand.shows(0.585, 20), [], "nothing is recorded while it asks")
        self.hand.shows(inf, 3)
        self.assertEqual(self.hand.shows(0.504, 4)[1:], [Recorded("P2", 0.504), Next("P3")])

    def test_yes_that_other_point_and_no_this_one_all_the_same(self) -> None:
        self.hand.shows(0.454, 4)
        self.hand.shows(inf, 3)
        self.hand.shows(0.585, 4)
        self.assertEqual(self.walk.tap(Tap.OTHER), [Recorded("P3", 0.585), Next("P2")])
        self.hand.shows(inf, 3)
        self.assertEqual(self.hand.shows(0.504, 4)[1:], [Recorded("P2", 0.504), Over()])
        again = CaptureWalk(("P2", "P3"), ROW)
        Hand(again).shows(0.585, 4)
        self.assertEqual(again.tap(Tap.REPEAT), [Recorded("P2", 0.585), Next("P3")])
        self.assertEqual(again.tap(Tap.OTHER), [], "nothing is asked any more")

    def test_what_was_recorded_at_the_other_point_can_be_struck_out_and_repeated(self) -> None:
        for tap in (Tap.STRIKE, Tap.REPEAT):
            walk = CaptureWalk(("P2", "P3"), ROW)
            hand = Hand(walk)
            hand.shows(0.585, 4)
            walk.tap(Tap.OTHER)
            if tap is Tap.STRIKE:
                self.assertEqual(walk.tap(tap), [Struck("P3"), Next("P3")])
            else:
                hand.shows(inf, 3)
                hand.shows(0.504, 4)
                self.assertEqual(walk.tap(tap), [Next("P2")])
            self.assertIn(walk.point, ("P2", "P3"))
            hand.shows(inf, 3)
            value = {"P2": 0.504, "P3": 0.585}[walk.point]
            self.assertEqual(hand.shows(value, 4)[1], Recorded("P3" if tap is Tap.STRIKE else "P2", value))

    def test_taps_repeat_skip_go_back_and_strike_out(self) -> None:
        self.hand.shows(0.454, 4)
        self.hand.shows(inf, 3)
        self.assertEqual(self.walk.tap(Tap.SKIP), [Next("P3")])
        self.assertEqual(self.walk.tap(Tap.BACK), [Next("P2")])
        self.assertEqual(self.walk.tap(Tap.STRIKE), [Struck("P0"), Next("P0")])
        self.assertEqual(self.walk.tap(Tap.STRIKE), [])
        self.assertEqual(self.hand.shows(0.455, 4), [Contact("P0"), Recorded("P0", 0.455), Next("P2")])
        self.assertEqual(self.walk.tap(Tap.REPEAT), [Next("P0")])
        self.walk.tap(Tap.SKIP)
        self.walk.tap(Tap.SKIP)
        self.assertEqual(self.walk.tap(Tap.SKIP), [Over()])
        self.assertEqual(self.walk.tap(Tap.SKIP), [])
        self.assertEqual(self.walk.tap(Tap.BACK), [Next("P3")])

    def test_typed_values_walk_the_same_way(self) -> None:
        self.assertEqual(self.walk.typed(0.454), [Recorded("P0", 0.454), Next("P2")])
        self.assertEqual(self.walk.typed(inf), [Recorded("P2", inf), Next("P3")])
        self.assertEqual(self.hand.shows(0.585, 4), [Contact("P3"), Recorded("P3", 0.585), Over()])
        self.assertEqual(self.walk.typed(0.5), [])

    def test_a_walk_over_nothing_is_over(self) -> None:
        walk = CaptureWalk(())
        self.assertEqual((walk.hearing, walk.sample(0.0, 0.5), walk.tap(Tap.REPEAT)), (Hearing.OVER, [], []))

    def test_a_longer_hold_can_be_set(self) -> None:
        walk = CaptureWalk(("P0", "P1"), ROW, times=HandTimes(open_after=5.0))
        hand = Hand(walk)
        hand.shows(0.454, 4)
        self.assertEqual(hand.shows(inf, 56), [])
        self.assertEqual(len(hand.shows(inf, 8)), 2)

    def test_of_a_slow_meter_two_readings_are_enough_where_they_are_as_expected(self) -> None:
        for every, count in ((0.5, 2), (0.25, 3), (0.1, 4), (0.04, 9)):
            hand = Hand(CaptureWalk(("P0", "P2", "P3"), ROW), every)
            events = hand.shows(0.454, count - 1)
            self.assertFalse(any(isinstance(e, Recorded) for e in events), every)
            self.assertIn(Recorded("P0", 0.454), hand.shows(0.454, 1), every)

    def test_of_a_slow_meter_a_value_that_is_high_waits_for_a_third(self) -> None:
        hand = Hand(CaptureWalk(("P0",), ROW), 0.5)
        hand.shows(1.9, 2)
        self.assertEqual(hand.shows(0.454, 1), [], "two of a touch and of none agreed by chance")
        self.assertIn(Recorded("P0", 0.454), hand.shows(0.454, 1))
        hand = Hand(CaptureWalk(("P0",), ROW), 0.5)
        self.assertEqual(hand.shows(1.9, 2), [Contact("P0")])
        self.assertIn(Recorded("P0", 1.9), hand.shows(1.9, 1))
        hand = Hand(CaptureWalk(("P0",), ROW), 0.5)
        self.assertIn(Recorded("P0", 0.002), hand.shows(0.002, 2), "a short is no mean of a touch and of none")

    def test_short_touches_between_the_readings_of_a_slow_meter_are_no_open_point(self) -> None:
        for every, held in ((0.5, 6.9), (0.1, 3.7)):
            hand = Hand(CaptureWalk(("P0", "P1"), ROW), every)
            hand.shows(0.454, 4)
            self.assertEqual(hand.shows(inf, int(held / every)), [], every)
            self.assertIn(Recorded("P1", inf, True), hand.shows(inf, 6), every)


class SlowAndQuickMetersTest(unittest.TestCase):
    """A small share of `./dextrum bench --only walks`."""

    def test_nothing_is_recorded_that_was_not_there_at_any_speed_of_meter(self) -> None:
        for rate in RATES:
            with self.subTest(rate):
                result = walked(duo_advice().model, rate, 300, 17)
                self.assertEqual((result.wrong, result.missed), (0, 0))
                self.assertLess(float(np.quantile(result.late, 0.95)), 2.0)
                self.assertGreater(len(result.late), 200)


if __name__ == "__main__":
    unittest.main()
