"""Lines that a fault joins read alike, or it isn't there: crossed contacts, bridged windings and pins."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.core.advice.joined_first import joined_first
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.joined_copper import given_joined
from dextrum.core.diagnosis.shared_deviation import SharedDeviation
from dextrum.core.job import job_facts
from dextrum.core.trail import Isolation, Payload, PointReading, Readings
from tests.support import board_out, duo_advice, trail_of

RED = Method.DIODE_RED_GROUND
BEGUN = board_out("no_dock")
SBU1, VBUS = "J1.A8", ("J1.A4", "J1.A9", "J1.B4", "J1.B9")
CROSSED = "J1:crossed_contacts:A8:A9"


def read(**volts: float) -> Readings:
    return Readings(RED, tuple(PointReading(point.replace("_", "."), value) for point, value in volts.items()), "M1")


def crossed_reads() -> float:
    """What both lines read where the two contacts are crossed, by the circuit."""
    model = duo_advice().model
    row = next(r for r in model.joined[model.copper[VBUS[0]], model.copper[SBU1]]
               if model.hypotheses.faults[int(model.hypotheses.fault_of_row[r])].id == CROSSED)
    predicted = model.predicted_at(SBU1, RED)
    assert predicted is not None
    return float(predicted.values[row])


def chance_of_crossed(sbu1: float, vbus: float) -> float:
    model = duo_advice().model
    read_so = read(**{point.replace(".", "_"): vbus for point in VBUS}, J1_A8=sbu1)
    found = weigh_trail(model, trail_of(*BEGUN, read_so))
    return next(float(c) for f, c in zip(model.hypotheses.faults, found.faults_left, strict=True) if f.id == CROSSED)


class CrossedTest(unittest.TestCase):
    def test_two_lines_that_read_the_same_are_crossed(self) -> None:
        self.assertGreater(chance_of_crossed(crossed_reads(), crossed_reads()), 0.5)

    def test_both_may_be_off_by_what_boards_are_off_by(self) -> None:
        for away in (-0.012, 0.012):
            self.assertGreater(chance_of_crossed(crossed_reads() + away, crossed_reads() + away), 0.5, away)

    def test_two_that_differ_are_not_however_near_each_is_to_what_it_should_read(self) -> None:
        together = chance_of_crossed(crossed_reads(), crossed_reads())
        apart = chance_of_crossed(crossed_reads() + 0.008, crossed_reads() - 0.02)
        self.assertLess(apart, together / 10)

    def test_the_order_of_touches_makes_no_difference(self) -> None:
        model = duo_advice().model
        one = [read(J1_A8=0.505), read(J1_A4=0.478, J1_B9=0.479)]
        found = [weigh_trail(model, trail_of(*BEGUN, *readings)).rows for readings in (one, one[::-1])]
        np.testing.assert_allclose(found[0], found[1], atol=1e-6)


class ReadBothTest(unittest.TestCase):
    """VBUS reads as if it were joined to a pair beside it, and nobody has read that pair."""

    LOW = read(J1_A4=0.43, J1_A9=0.43, J1_B4=0.43, J1_B9=0.43)

    def weighed(self, *payloads: Payload) -> Weighing:
        advice, trail = duo_advice(), trail_of(*BEGUN, *payloads)
        return Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))

    def test_the_other_line_is_read_before_the_port_is_changed(self) -> None:
        asked = joined_first(self.weighed(self.LOW), "J1")
        assert asked is not None
        self.assertEqual(asked.points, ("J1.A3", "J1.A10", "J1.B3", "J1.B10"))
        self.assertLess(asked.minutes, 3.0)
        following = assess(duo_advice(), trail_of(*BEGUN, self.LOW), explain=False).advice.next
        self.assertLessEqual(set(asked.points), set(following.points), "here with the rest of the port")

    def test_once_it_is_read_there_is_nothing_more_to_read(self) -> None:
        weighing = self.weighed(self.LOW, read(J1_A3=0.43, J1_A10=0.46, J1_B3=0.46, J1_B10=0.46))
        self.assertIsNone(joined_first(weighing, "J1"))
        self.assertGreater(weighing.chance_of_part["J1"], 0.7)

    def test_what_does_not_join_lines_asks_for_nothing(self) -> None:
        self.assertIsNone(joined_first(self.weighed(self.LOW), "F1"))
        self.assertIsNone(joined_first(self.weighed(self.LOW, Isolation(("D5",))), "J1"))


class JoinedRowsTest(unittest.TestCase):
    def test_they_read_the_same_by_the_circuit(self) -> None:
        """Every row that is said to join two lines brings their readings within what its ohms drop at a milliamp."""
        model = duo_advice().model
        point_of = {copper: point for point, copper in reversed(list(model.copper.items()))}
        for (first, second), rows in model.joined.items():
            one, other = (model.predicted_at(point_of[copper], RED) for copper in (first, second))
            assert one is not None and other is not None
            for row in rows:
                a, b = float(one.values[row]), float(other.values[row])
                if math.isfinite(a) and math.isfinite(b):
                    self.assertLess(abs(a - b), 0.001 * (float(model.hypotheses.ohms[row]) + 2.0), (first, second, row))

    def test_nothing_is_held_where_only_one_of_the_two_was_read(self) -> None:
        model = duo_advice().model
        items = gather_evidence(model, trail_of(*BEGUN, read(J1_A8=0.505)))
        alone = items.log_likelihood[[i.subject for i in items.items].index(SBU1)]
        both = gather_evidence(model, trail_of(*BEGUN, read(J1_A8=0.505, J1_A4=0.478)))
        beside = both.log_likelihood[[i.subject for i in both.items].index(SBU1)]
        moved = np.flatnonzero(np.abs(alone - beside) > 1e-9)
        self.assertEqual(set(moved.tolist()), set(model.joined[model.copper["J1.A4"], model.copper[SBU1]].tolist()))

    def test_what_was_open_teaches_nothing(self) -> None:
        expected = expected_at(duo_advice().model, SBU1, RED)
        assert expected is not None
        none = np.zeros(len(expected.means))
        same = given_joined(expected, SharedDeviation.unknown(len(none)), RED)
        np.testing.assert_array_equal(same.means, expected.means)
        np.testing.assert_array_equal(same.spreads, expected.spreads)
        moved = given_joined(expected, SharedDeviation(none - 0.04, none + 1.0, none), RED)
        self.assertAlmostEqual(float(moved.means[NOTHING_ROW]), 0.96 * float(expected.means[NOTHING_ROW]))
