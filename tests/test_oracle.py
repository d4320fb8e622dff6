"""Who knows the faults: what a job costs at least, with what the rules of safety ask for and without."""

from __future__ import annotations

import unittest
from unittest import mock

import numpy as np

from dextrum.app.evaluation.cases import Case, ListedCase, case_of_list, world_case
from dextrum.app.evaluation.oracle import Knowing, by_knowing, repairs_known
from dextrum.core.faults.listing import enumerate_faults
from dextrum.core.trail import Audit, Cell, Look, Payload, PutTogether, Readings, Rework
from dextrum.instruments.decided_unit import DecidedUnit
from dextrum.instruments.simulated_board import METER_M1
from dextrum.world.numbers import DEFAULT
from tests.support import duo_advice, duo_board

CHECKS = sum(check.minutes for check in duo_board().checks)
CLEAN, DIRTY = Look(("clean",)), Look(("dirt",))


def listed(*faults: str, look: Look = CLEAN) -> Case:
    return case_of_list(DEFAULT, duo_board(), ListedCase("c", tuple((f, None) for f in faults), ("no_dock",), look,
                                                         "charged"), 1, 4_401)


def known(*faults: str) -> Case:
    """A unit with these faults on a board that reads as its pack says."""
    board = duo_board()
    there = [(next(f for f in enumerate_faults(board) if f.id == one), 0.0) for one in faults]
    unit = DecidedUnit(board, there, np.random.default_rng(2))
    return Case(unit, METER_M1, ("no_dock",), lambda cleaned: CLEAN, False, lambda: {f.part for f, _ in there})


def trail_of(case: Case) -> list[Payload]:
    """What was written down on the way."""
    noted: list[Payload] = []
    real = Knowing.note

    def note(self: Knowing, *payloads: Payload, minutes: float = 0.0) -> None:
        noted.extend(payloads)
        real(self, *payloads, minutes=minutes)

    with mock.patch.object(Knowing, "note", note):
        by_knowing(duo_advice(), case)
    return noted


class OracleTest(unittest.TestCase):
    def test_without_gates_it_pays_look_access_one_repair_a_part_and_proof(self) -> None:
        advice, board = duo_advice(), duo_board()
        played = by_knowing(advice, listed("U3:quiet_failure"))
        option = min((o for o in advice.repairs.options if o.part == "U3" and o.action == "replace"),
                     key=lambda o: o.minutes)
        bare = advice.rates.look_minutes + board.minutes_to(option.access, "") + option.minutes + CHECKS
        assert played.without_gates is not None
        self.assertAlmostEqual(played.without_gates, bare)
        self.assertGreater(played.minutes, bare)
        self.assertEqual((played.ended, played.replaced, played.gates_broken), ("repaired", ("U3",), 0))

    def test_what_gates_ask_for_is_in_its_trail(self) -> None:
        done = trail_of(listed("F1:blown_fuse:1:2", look=DIRTY))
        kinds = [type(one) for one in done]
        self.assertIn(Rework("clean", "J1"), done)
        for kind in (Look, Audit, PutTogether, Readings):
            self.assertIn(kind, kinds)
        heat = next(k for k, one in enumerate(done) if isinstance(one, Rework) and one.action == "replace")
        self.assertEqual([one.state for one in done[:heat] if isinstance(one, Cell)][-1], "unplugged")
        self.assertEqual(done[-1].kind, "proof")

    def test_a_port_that_is_seen_bent_is_changed_though_it_does_no_harm(self) -> None:
        bent = Look(("bent",), ("B6",))
        done = trail_of(listed("U3:quiet_failure", look=bent))
        self.assertEqual([one.part for one in done if isinstance(one, Rework)], ["U3", "J1"])
        played = by_knowing(duo_advice(), listed("U3:quiet_failure", look=bent))
        self.assertEqual(played.gates_broken, 0)

    def test_two_faults_of_one_part_are_one_repair_and_the_second_part_is_not_opened_for_again(self) -> None:
        advice = duo_advice()
        def of(*faults: str) -> tuple[int, float]:
            found = repairs_known(advice, known(*faults))
            assert found is not None
            return len(found[0]), found[1]

        self.assertEqual(of("J1:open_contact:A5", "J1:open_contact:B5")[0], 1)
        count, minutes = of("U3:quiet_failure", "FL5:open_winding:3:4")
        self.assertEqual(count, 2)
        self.assertLess(minutes, of("U3:quiet_failure")[1] + of("FL5:open_winding:3:4")[1])

    def test_what_cannot_be_mended_is_given_up_at_once(self) -> None:
        advice = duo_advice()
        case = next(c for n in range(400) if (c := world_case(DEFAULT, duo_board(), n, 4_402)).unlisted)
        played = by_knowing(advice, case)
        self.assertEqual((played.ended, played.minutes, played.right), ("given up", advice.rates.look_minutes, True))

    def test_its_repairs_always_take_and_hurt_nothing(self) -> None:
        for n in range(12):
            with self.subTest(n):
                case = world_case(DEFAULT, duo_board(), n, 4_403)
                played = by_knowing(duo_advice(), case)
                if played.ended == "repaired":
                    self.assertEqual((played.left, played.right), ((), True))
                    assert played.without_gates is not None
                    self.assertLessEqual(played.without_gates, played.minutes)

    def test_nothing_wrong_is_looked_at_and_proved(self) -> None:
        played = by_knowing(duo_advice(), listed())
        self.assertAlmostEqual(played.minutes, duo_advice().rates.look_minutes + CHECKS)


if __name__ == "__main__":
    unittest.main()
