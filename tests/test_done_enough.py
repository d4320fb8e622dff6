"""What goes on as it was after two new parts is not changed a third time; what was mended and hurt anew is."""

from __future__ import annotations

import math
import unittest

from dextrum.core.advice.done_enough import done_enough
from dextrum.core.board import Method
from dextrum.core.job import job_facts
from dextrum.core.trail import AUDIT_STEPS, Audit, PartSeen, Payload, PointReading, Readings
from tests.support import board_out, duo_advice, replaced, trail_of

BEGUN = board_out("no_dock")


def windings(one: float, other: float) -> Readings:
    """FL4 from end to end, in ohms."""
    return Readings(Method.RESISTANCE, (PointReading("FL4.1-2", one), PointReading("FL4.3-4", other)), "M1")


FIRST, SECOND, BOTH = windings(math.inf, 0.6), windings(0.6, math.inf), windings(0.6, 0.6)


def not_advised(*payloads: Payload) -> set[tuple[str, str]]:
    advice = duo_advice()
    facts = job_facts(trail_of(*BEGUN, *payloads))
    places = done_enough(advice.model.board, advice.model.references, advice.repairs, facts)
    return {(advice.repairs.options[k].part, advice.repairs.options[k].verb) for k in places}


class DoneEnoughTest(unittest.TestCase):
    NEW = replaced("FL4")
    GIVEN_UP = frozenset({("FL4", "replace")})

    def test_two_new_parts_that_read_as_the_old_one_are_enough(self) -> None:
        self.assertEqual(not_advised(FIRST, self.NEW, FIRST), set())
        self.assertEqual(not_advised(FIRST, self.NEW, FIRST, self.NEW, FIRST), self.GIVEN_UP)

    def test_one_whose_other_winding_is_open_now_was_mended_and_hurt_anew(self) -> None:
        self.assertEqual(not_advised(FIRST, self.NEW, SECOND, self.NEW, FIRST), set())
        self.assertEqual(not_advised(FIRST, self.NEW, SECOND, self.NEW, SECOND), set())
        self.assertEqual(not_advised(FIRST, self.NEW, SECOND, self.NEW, SECOND, self.NEW, SECOND), self.GIVEN_UP)

    def test_what_read_well_after_the_first_was_mended_by_it(self) -> None:
        self.assertEqual(not_advised(FIRST, self.NEW, BOTH, replaced("FL3"), FIRST, self.NEW, FIRST), set())

    def test_what_nobody_read_counts_as_it_was(self) -> None:
        self.assertEqual(not_advised(self.NEW, self.NEW), self.GIVEN_UP)
        self.assertEqual(not_advised(FIRST, self.NEW, self.NEW), self.GIVEN_UP)
        self.assertEqual(not_advised(replaced("U8"), replaced("U8")), {("U8", "replace")}, "a chip has no such ends")

    def test_a_part_that_has_come_off_is_fitted_again(self) -> None:
        gone = Audit(AUDIT_STEPS, part="FL4", seen=(PartSeen("FL4", "missing"),))
        self.assertEqual(not_advised(FIRST, self.NEW, FIRST, self.NEW, gone), set())


if __name__ == "__main__":
    unittest.main()
