"""What a point read before a repair: it doubts the pack only where nothing that was taken away since explained it."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.core.board import Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.expected import expected_at
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW
from dextrum.core.diagnosis.likelihood import OnceRead, read_again, reading_log_likelihood
from dextrum.core.diagnosis.posterior import FaultSets, Posterior
from dextrum.core.diagnosis.read_once import TakenAway, read_once
from dextrum.core.trail import AUDIT_STEPS, Audit, Injection, Payload, PointReading, Readings
from tests.support import as_good, board_out, duo_advice, replaced, trail_of

DIODE = Method.DIODE_RED_GROUND
GROUNDED = "TP11"


def row_of(fault: str) -> int:
    hypotheses = duo_advice().model.hypotheses
    return next(r for r in range(2, hypotheses.count) if hypotheses.faults[hypotheses.fault_of_row[r]].id == fault)


def reads(point: str, volts: float) -> Readings:
    return Readings(DIODE, (PointReading(point, volts),), "M1")


class ByHandTest(unittest.TestCase):
    def taken(self, share: float, epochs: tuple[int, ...] = (0,)) -> tuple[OnceRead, ...]:
        """The cell's rail reads a short, C24 is at fault by `share`, and is replaced."""
        model, c24 = duo_advice().model, row_of("C24:hard_short:1")
        mended = np.zeros(model.hypotheses.count, dtype=bool)
        mended[c24] = True
        before = FaultSets(np.array([[c24, NO_ROW, NO_ROW], [NOTHING_ROW, NO_ROW, NO_ROW]]),
                           np.array([share, 1.0 - share]))
        return read_once(model, {(GROUNDED, DIODE): tuple((epoch, 0.0) for epoch in epochs)},
                         [TakenAway(1, before, mended)])[GROUNDED, DIODE]

    def test_its_density_under_what_was_taken_away_counts_with_the_chance_of_that(self) -> None:
        (told,) = self.taken(0.7)
        density = reading_log_likelihood(duo_advice().model, GROUNDED, DIODE, 0.0)
        assert density is not None
        self.assertAlmostEqual(told.taken, 0.7)
        self.assertAlmostEqual(told.by_taken, 0.7 * math.exp(density[row_of("C24:hard_short:1")]), places=4)

    def test_what_was_read_since_the_repair_has_had_nothing_taken_away(self) -> None:
        self.assertEqual(self.taken(0.7, (1,)), (OnceRead(0.0),))

    def test_the_pack_is_not_doubted_for_what_the_repair_explains(self) -> None:
        expected = expected_at(duo_advice().model, GROUNDED, DIODE)
        assert expected is not None
        usual = float(np.max(expected.unsure))
        doubted = read_again(expected, DIODE, (), (OnceRead(0.0),)).unsure
        explained = read_again(expected, DIODE, (), self.taken(0.95)).unsure
        self.assertGreater(doubted[NOTHING_ROW], 10.0 * usual)  # type: ignore[index]
        self.assertLess(explained[NOTHING_ROW], 2.0 * usual)  # type: ignore[index]


class TwoShortsTest(unittest.TestCase):
    """The cell's rail is on ground, and the camera names C24: it is changed, and the rail stays on ground."""

    BEGUN = (*board_out("no_start", "no_charge"), *as_good("C27.2", "C18.1"), reads(GROUNDED, 0.0),
             Injection("VCELL", 3.0, 1.0, "C24", "camera"), replaced("C24"), Audit(AUDIT_STEPS, part="C24"))

    def weighed(self, *payloads: Payload) -> Posterior:
        return weigh_trail(duo_advice().model, trail_of(*self.BEGUN, *payloads))

    def test_something_is_on_ground_still_and_not_the_pack_mistaken(self) -> None:
        found = self.weighed(reads(GROUNDED, 0.0))
        self.assertLess(float(found.remaining_rows()[NOTHING_ROW]), 0.1)

    def test_every_other_point_of_the_rail_bears_it_out(self) -> None:
        found = self.weighed(reads(GROUNDED, 0.0), *(reads(p, 0.0) for p in ("C24.1", "J2.1", "C25.1")))
        self.assertLess(float(found.remaining_rows()[NOTHING_ROW]), 0.01)

    def test_after_another_repair_elsewhere_as_well(self) -> None:
        found = self.weighed(reads(GROUNDED, 0.0), replaced("C28"), Audit(AUDIT_STEPS, part="C28"),
                             *(reads(p, 0.0) for p in (GROUNDED, "C24.1", "J2.1")))
        self.assertLess(float(found.remaining_rows()[NOTHING_ROW]), 0.05)

    def test_read_well_it_is_mended(self) -> None:
        found = self.weighed(*as_good(GROUNDED, "C24.1"))
        self.assertGreater(float(found.remaining_rows()[NOTHING_ROW]), 0.5)


if __name__ == "__main__":
    unittest.main()
