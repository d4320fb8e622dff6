"""Points touched once: what bears a touch out, and what doesn't."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.advice.before_repair import touch_again, touched_once
from dextrum.core.advice.touches import single_touches, slip_words
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Method
from dextrum.core.diagnosis.evidence import Evidence, gather_evidence
from dextrum.core.diagnosis.witness import ReadingWitness
from dextrum.core.trail import (
    Access,
    Cell,
    Injection,
    Isolation,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Readings,
    Rework,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board, fault_named, trail_of

RED = Method.DIODE_RED_GROUND


class SingleTouchTest(unittest.TestCase):
    """CC2 sits on ground, and the fuse is blown."""

    def setUp(self) -> None:
        known = duo_advice().model.hypotheses.faults
        faults = [(f := fault_named(known, name), f.variants[0][0])
                  for name in ("F1:blown_fuse:1:2", "U1:hard_short:CC2")]
        unit = SimulatedBoard(duo_board(), faults, np.random.default_rng(3))
        self.begun: tuple[Payload, ...] = (
            JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Look(("clean",)), Cell("unplugged"), Access("back_off"),
            *(self.read(p, unit.read(p, RED, METER_M1)) for p in duo_board().port_point_ids()))

    def read(self, point: str, volts: float) -> Readings:
        return Readings(RED, (PointReading(point, volts),), "M1")

    def weighing(self, *more: Payload) -> Weighing:
        done = assess(duo_advice(), trail_of(*self.begun, *more), explain=False)
        return Weighing(duo_advice(), done.posterior, done.facts)

    def test_slips_of_this_hand_count_where_a_point_reads_open_and_nowhere_else(self) -> None:
        """Each touch that is put right moves the share of slips; what reads a number is weighed as it was."""
        again = [reading for reading in self.begun if isinstance(reading, Readings)
                 and reading.readings[0].point in ("J1.A5", "J1.A6", "J1.A7", "J1.B6")]
        slips = [self.read(one.readings[0].point, volts) for one in again
                 for volts in (float("inf"), one.readings[0].value)]
        end = self.read("J1.A8", float("inf"))
        before, after = (gather_evidence(duo_advice().model, trail_of(*self.begun, *more, end)) for more in ((), slips))
        self.assertGreater(after.apart.scale.slips, before.apart.scale.slips)

        def keys(found: Evidence) -> dict[str, tuple[object, ...]]:
            return {w.point: w.memory_key for w in found.witnesses if isinstance(w, ReadingWitness)}

        one, other = keys(before), keys(after)
        self.assertNotEqual(one["J1.A8"], other["J1.A8"])
        self.assertEqual(one["J1.B5"], other["J1.B5"])

    def test_one_touch_is_single_and_two_are_not(self) -> None:
        self.assertIn("J1.B5", touched_once(self.weighing()))
        self.assertNotIn("J1.B5", single_touches(self.weighing(self.read("J1.B5", 0.001))))

    def test_a_touch_before_a_repair_elsewhere_bears_out_the_one_after_it(self) -> None:
        fuse = Rework("replace", "F1")
        self.assertNotIn("J1.B5", touched_once(self.weighing(fuse, self.read("J1.B5", 0.0))))
        self.assertIn("J1.B5", single_touches(self.weighing(fuse, self.read("J1.B5", 0.12))))

    def test_a_repair_that_has_part_in_the_point_needs_a_second_touch(self) -> None:
        for part in ("D1", "U1", "C14"):
            again = self.weighing(Rework("replace", part), self.read("J1.B5", 0.0))
            self.assertIn("J1.B5", touched_once(again), part)
        twice = self.weighing(Rework("replace", "D1"), self.read("J1.B5", 0.0), Rework("replace", "F1"),
                              self.read("J1.B5", 0.001))
        self.assertNotIn("J1.B5", touched_once(twice))

    def test_two_points_of_one_line_bear_each_other_out_only_where_both_are_off_in_the_same_way(self) -> None:
        """Open at one contact and high at its twin: both tips slipped, and a port was changed for it."""
        unlike = touched_once(self.weighing(self.read("J1.A7", float("inf")), self.read("J1.B7", 0.69)))
        self.assertLessEqual({"J1.A7", "J1.B7"}, set(unlike))
        alike = touched_once(self.weighing(self.read("J1.A7", float("inf")), self.read("J1.B7", float("inf"))))
        self.assertFalse({"J1.A7", "J1.B7"} & set(alike))

    def test_ol_after_a_number_is_touched_once_more_and_two_of_three_decide(self) -> None:
        """A leak was read, then a tip did not touch, and that looked like a good board: the unit was given up."""
        leak, slip = (Readings(Method.RESISTANCE, (PointReading("C1.1-2", ohms),), "M1") for ohms in (11.2e3, np.inf))
        self.assertNotIn("C1.1-2", touched_once(self.weighing(slip)), "as on a good board")
        doubtful = self.weighing(leak, slip)
        self.assertIn("C1.1-2", touched_once(doubtful))
        again = touch_again(doubtful)
        assert again is not None
        self.assertIn("reads open", again.why)
        for third in (leak, slip):
            weighing = self.weighing(leak, slip, third)
            self.assertNotIn("C1.1-2", touched_once(weighing))
            item = next(item for item in weighing.evidence.items if item.subject == "C1.1-2")
            self.assertEqual((item.touches, item.value), (2, third.readings[0].value))

    def test_what_warms_bears_out_the_short_it_was_injected_into_and_nothing_else(self) -> None:
        warmed = Injection("CC2", 0.45, 2.2, "U1", "camera")
        self.assertNotIn("J1.B5", touched_once(self.weighing(warmed)))
        self.assertIn("J1.B5", touched_once(self.weighing(Injection("CC2", 0.45, 2.2, "", "camera"))))
        self.assertIn("J1.B5", touched_once(self.weighing(Injection("V3V3", 3.3, 1.8, "U1", "camera"))))
        off = self.weighing(self.read("J1.A10", float("inf")), warmed)
        self.assertIn("J1.A10", touched_once(off))
        action = touch_again(off)
        assert action is not None
        self.assertIn("flux or lacquer reads open", action.why)
        self.assertNotIn("neighbour", action.why)

    def test_how_a_touch_may_mislead_is_said_by_what_it_reads(self) -> None:
        found = self.weighing(self.read("J1.A10", float("inf")))
        self.assertEqual(slip_words(found, ("J1.B5",)), "a slipped probe reads the next point")
        self.assertEqual(slip_words(found, ("J1.A10", "J1.B5")),
                         "flux or lacquer reads open, a slipped probe reads the next point")

    def test_nothing_is_touched_again_with_a_part_off(self) -> None:
        self.assertEqual(touched_once(self.weighing(Isolation(("C14",)))), ())


if __name__ == "__main__":
    unittest.main()
