"""A point that reads as on ground holds the proof back until the same net reads well at another point."""

from __future__ import annotations

import unittest

from dextrum.core.advice.actions import Action
from dextrum.core.advice.on_ground import held_by_ground, read_elsewhere
from dextrum.core.advice.proving import proving
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Method, NetRole
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.job import job_facts
from dextrum.core.trail import (
    AUDIT_STEPS,
    Audit,
    Payload,
    PointReading,
    Proof,
    Readings,
)
from tests.support import as_good, board_out, duo_advice, duo_board, replaced, trail_of

BEGUN = board_out("no_rails")
GROUNDED, BESIDE = "C45.1", "TP5"
"""Two points on the 5 V rail: what one of them reads the other does too."""
IN_OHMS = next(p.id for p in duo_board().points if p.to is not None and duo_board().net_of(p.at) == "V5V0"
               and duo_board().is_to_ground(p.id))
"""The same rail, read in ohms to ground."""
ONLY_POINT, ONLY_SIGNAL = "C12.1", "TP8"
"""A rail's and a signal's: the pack knows no other point of their nets."""


def on_ground(point: str = GROUNDED, touches: int = 1) -> tuple[Readings, ...]:
    return tuple(Readings(Method.DIODE_RED_GROUND, (PointReading(point, 0.002),), "M1") for _ in range(touches))


def weighed(*payloads: Payload) -> Weighing:
    advice, trail = duo_advice(), trail_of(*BEGUN, *payloads)
    return Weighing(advice, weigh_trail(advice.model, trail), job_facts(trail))


def of_one_net() -> list[str]:
    board = duo_board()
    return [p.id for p in board.points if p.to is None and board.net_of(p.at) == "V5V0"]


class OnGroundTest(unittest.TestCase):
    def test_it_holds_the_proof_and_the_same_line_is_read_elsewhere(self) -> None:
        weighing = weighed(*on_ground(touches=3))
        self.assertEqual(held_by_ground(weighing), (GROUNDED,))
        due = proving(weighing, (), cleared=0.0)
        assert due is not None
        self.assertEqual(due.kind, "measure")
        self.assertIn(due.points[0], of_one_net())
        self.assertNotEqual(due.points[0], GROUNDED)
        self.assertIn(GROUNDED, due.why)

    def test_a_single_touch_is_touched_again_first(self) -> None:
        due = proving(weighed(*on_ground()), (), cleared=0.0)
        assert due is not None
        self.assertEqual(due.points, (GROUNDED,))

    def test_it_is_released_where_the_same_net_reads_well(self) -> None:
        weighing = weighed(*on_ground(touches=3), *as_good(BESIDE))
        self.assertEqual(held_by_ground(weighing), ())
        due = proving(weighing, (), cleared=0.0)
        assert due is not None
        self.assertNotEqual(due.kind, "measure")

    def test_ohms_hold_and_release_it_as_junctions_do(self) -> None:
        shorted = Readings(Method.RESISTANCE, (PointReading(IN_OHMS, 0.4),), "M1")
        held = weighed(shorted, shorted)
        self.assertEqual(held_by_ground(held), (IN_OHMS,))
        due = proving(held, (), cleared=0.0)
        assert due is not None
        self.assertIn(due.points[0], of_one_net())
        self.assertEqual(held_by_ground(weighed(shorted, shorted, *as_good(BESIDE))), ())
        released = weighed(*on_ground(touches=3), *as_good(IN_OHMS))
        self.assertEqual(held_by_ground(released), ())
        leaks = Readings(Method.RESISTANCE, (PointReading(IN_OHMS, 1800.0),), "M1")
        self.assertEqual(held_by_ground(weighed(leaks, leaks)), (), "a leak is no ground")

    def test_a_short_that_every_point_shows_is_never_powered(self) -> None:
        every = [reading for point in of_one_net() for reading in on_ground(point, touches=2)]
        weighing = weighed(*every)
        self.assertEqual(set(held_by_ground(weighing)), set(of_one_net()))
        self.assertIsNone(read_elsewhere(weighing))
        self.assertIsNone(proving(weighing, (), cleared=0.0))

    def test_a_unit_that_works_all_the_same_is_proved(self) -> None:
        """The pack may have the only point of a net wrong: what is as good as whole is neither given up nor stuck."""
        alone = (*as_good(*(p for p in duo_board().port_points)), *on_ground(ONLY_POINT, touches=3))
        works = weighed(*alone, Proof("dock_b", True))
        self.assertEqual(held_by_ground(works), (ONLY_POINT,))
        due = proving(works, (), cleared=0.0)
        assert due is not None
        self.assertIn(due.kind, ("prove", "supply", "assemble"))
        fails = weighed(*alone, Proof("dock_b", False))
        due = proving(fails, (), cleared=0.0)
        self.assertTrue(due is None or due.kind in ("measure", "try"), due)

    def test_what_is_as_good_as_whole_is_tried_before_it_is_proved(self) -> None:
        def tried(point: str, nothing: float) -> Action | None:
            weighing = weighed(*on_ground(point, touches=3))
            weighing.nothing = nothing
            return proving(weighing, (), cleared=0.0)

        due = tried(ONLY_SIGNAL, 0.9)
        assert due is not None
        self.assertEqual(due.kind, "try")
        self.assertIn(ONLY_SIGNAL, due.why)
        self.assertIsNone(tried(ONLY_SIGNAL, 0.4))
        self.assertIsNone(tried(ONLY_POINT, 0.9), "a rail is not powered for that")

    def test_a_data_line_holds_no_proof(self) -> None:
        """What it keeps from working the proof shows: a unit whose dock works with it is not given up for it."""
        weighing = weighed(*on_ground("C63.2", touches=3))
        self.assertEqual(held_by_ground(weighing), ())
        due = proving(weighing, (), cleared=0.0)
        assert due is not None
        self.assertNotEqual(due.kind, "measure")

    def test_any_other_signal_does(self) -> None:
        """The node between a converter and its coil is a signal to the pack, and so is what nobody has named."""
        board = duo_board()
        others = [p.id for p in board.points if p.to is None and board.net_by_name[board.net_of(p.at)].role in (
            NetRole.SIGNAL, NetRole.CC)]
        self.assertTrue(any(board.net_of(board.point_by_id[point].at).startswith("SW_") for point in others))
        for point in others:
            with self.subTest(point):
                self.assertIn(point, held_by_ground(weighed(*on_ground(point, touches=2))))

    def test_what_lies_beyond_a_fuse_or_a_link_releases_nothing(self) -> None:
        """The fuse may have blown, and the net before it be shorted still."""
        for grounded, beyond in (("F1.1", "F1.2"), (GROUNDED, "J4.1")):
            self.assertEqual(duo_advice().model.copper[grounded], duo_advice().model.copper[beyond])
            weighing = weighed(*on_ground(grounded, 3), *as_good(beyond))
            self.assertEqual(held_by_ground(weighing), (grounded,))

    def test_good_ohms_across_a_part_release_nothing(self) -> None:
        weighing = weighed(*on_ground("F1.1", 3), *as_good("F1.1-2"))
        self.assertEqual(held_by_ground(weighing), ("F1.1",))

    def test_what_read_well_before_a_repair_speaks_for_nothing_after_it(self) -> None:
        weighing = weighed(*as_good(BESIDE), replaced("C45"), Audit(AUDIT_STEPS, part="C45"), *on_ground(touches=3))
        self.assertEqual(held_by_ground(weighing), (GROUNDED,))
