"""What reads off after a repair as it did before: it tells that the repair has not changed it, and no more."""

from __future__ import annotations

import math
import unittest

import numpy as np

from dextrum.core.board import FaultKind, Method
from dextrum.core.diagnosis.after_repair import _since_repair, weigh_trail
from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW
from dextrum.core.diagnosis.own_deviation import off_alike
from dextrum.core.diagnosis.posterior import FaultSets, Posterior
from dextrum.core.diagnosis.read_as_before import AsBefore, as_left_by, read_as_before
from dextrum.core.trail import (
    AUDIT_STEPS,
    Audit,
    Isolation,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    Readings,
    Rework,
)
from tests.support import as_good, board_out, duo_advice, duo_board, replaced, trail_of

DIODE = Method.DIODE_RED_GROUND
OFF = {"J1.A7": 0.600, "J1.B7": 0.600}
"""USB D- reads some 45 mV below a good board: a leak somewhere on it, or an odd board."""
BASE: tuple[Payload, ...] = (*board_out("no_dock"), *as_good("J1.A6", *OFF, "J1.A10", but=OFF))
LEFT = 0.04
"""Chance that a repair leaves what it was meant for, written down once more."""


def rows(*which: int) -> np.ndarray:
    found = np.zeros(6, dtype=bool)
    found[list(which)] = True
    return found


class ByHandTest(unittest.TestCase):
    """Rows 2 and 3 explain the reading, 4 does not; at most one is there. 2 is repaired."""

    SETS = FaultSets(np.array([[2, NO_ROW, NO_ROW], [3, NO_ROW, NO_ROW], [4, NO_ROW, NO_ROW], [0, NO_ROW, NO_ROW]]),
                     np.array([0.7, 0.2, 0.06, 0.04]))

    def left(self, explains: np.ndarray, moves: np.ndarray, *more: AsBefore) -> tuple[np.ndarray, np.ndarray]:
        there = np.array([0.0, 0.0, 0.7 * LEFT, 0.2, 0.06, 0.05])
        made = np.array([0.0, 0.0, 0.0, 0.0, 0.0, 0.05])
        one = AsBefore("P", DIODE, 0.6, explains, moves)
        return as_left_by((one, *more), {"P": 1, "Q": 1, "S": 2}, self.SETS, rows(2), there, made)

    def test_bayes_by_hand(self) -> None:
        there, _ = self.left(rows(2, 3), rows(2, 3))
        whole = 0.7 * LEFT + 0.2 + 0.06 + 0.04  # what is possible once 2 was not what was taken away
        self.assertAlmostEqual(there[2], 0.7 * LEFT / whole, places=6)
        self.assertAlmostEqual(there[3], 0.2 / whole, places=6)

    def test_a_repair_of_something_else_tells_nothing(self) -> None:
        there, _ = self.left(rows(3), rows(3))
        self.assertAlmostEqual(there[3], 0.2, places=9)
        self.assertAlmostEqual(there[4], 0.06, places=9)

    def test_what_the_repair_made_would_have_moved_it(self) -> None:
        there, made = self.left(rows(3), rows(3, 5))
        self.assertEqual((there[5], made[5]), (0.0, 0.0))
        there, made = self.left(rows(3), rows(3))
        self.assertEqual((there[5], made[5]), (0.05, 0.05))

    def test_what_the_repair_made_in_its_place_reads_so_as_well(self) -> None:
        there, made = self.left(rows(2, 3, 5), rows(2, 3, 5))
        taken = (1 - LEFT) * 0.7
        self.assertAlmostEqual(made[5], 0.05 * taken / (1 - taken), places=6)
        self.assertAlmostEqual(there[5], made[5], places=6)

    def test_a_second_point_of_the_same_copper_tells_it_once(self) -> None:
        explains = rows(2, 3)
        one = self.left(explains, explains)[0]
        other = self.left(explains, explains, AsBefore("Q", DIODE, 0.6, explains, explains))[0]
        np.testing.assert_allclose(one, other)
        elsewhere = self.left(explains, explains, AsBefore("S", DIODE, 0.6, explains, explains))[0]
        self.assertGreater(elsewhere[3], one[3])


class FoundTest(unittest.TestCase):
    def test_only_what_is_off_and_reads_the_same(self) -> None:
        model = duo_advice().model
        items = gather_evidence(model, trail_of(*BASE)).items
        read = {(i.subject, DIODE): i.value for i in items if i.kind == "reading"}
        self.assertEqual({one.point for one in read_as_before(model, read, items)}, set(OFF))
        self.assertFalse(read_as_before(model, {key: value + 0.01 for key, value in read.items()}, items))
        self.assertFalse(read_as_before(model, {}, items))
        one = next(one for one in read_as_before(model, read, items) if one.point == "J1.A7")
        leak = next(f for f, fault in enumerate(model.hypotheses.faults)
                    if fault.part == "D2" and fault.kind is FaultKind.LEAKY_PART)
        self.assertTrue(one.explains[model.hypotheses.fault_of_row == leak].any() or one.explains.any())


    def test_a_point_that_was_not_read_before_counts_by_its_copper(self) -> None:
        model = duo_advice().model
        items = gather_evidence(model, trail_of(*BASE)).items
        good = {p: model.predicted_at(p, DIODE) for p in OFF}
        drop = {p: float(found.values[NOTHING_ROW]) - 0.045 for p, found in good.items() if found is not None}
        read = {("J1.B7", DIODE): next(i.value for i in items if i.subject == "J1.B7")}
        self.assertAlmostEqual(drop["J1.A7"], drop["J1.B7"], delta=0.004)
        self.assertEqual({one.point for one in read_as_before(model, read, items)}, set(OFF))
        elsewhere = {("J1.A6", DIODE): read["J1.B7", DIODE]}
        self.assertFalse(read_as_before(model, elsewhere, items))


    def test_copper_that_reads_one_thing_here_and_another_there_is_parted(self) -> None:
        model = duo_advice().model
        items = gather_evidence(model, trail_of(*BASE)).items
        read = {(i.subject, DIODE): i.value for i in items if i.kind == "reading"}
        parted = gather_evidence(model, trail_of(*BASE, *as_good(but={"J1.A7": 0.645}))).items
        self.assertEqual({one.point for one in read_as_before(model, read, items)}, set(OFF))
        self.assertFalse(read_as_before(model, read, parted))


class OffAlikeTest(unittest.TestCase):
    """Held to what a good board reads at each of the two points."""

    def alike(self, one: tuple[str, float], other: tuple[str, float]) -> bool:
        with np.errstate(all="raise"):
            return off_alike(duo_advice().model, DIODE, one, other)

    def test_as_far_off_at_two_points_is_alike(self) -> None:
        self.assertTrue(self.alike(("L1.1", 0.391), ("L1.2", 0.392)))
        self.assertFalse(self.alike(("L1.1", 0.391), ("L1.2", 0.401)))

    def test_a_number_and_ol_are_not_and_ol_tells_of_no_distance(self) -> None:
        self.assertFalse(self.alike(("L1.1", math.inf), ("L1.2", 0.392)))
        self.assertFalse(self.alike(("L1.1", math.inf), ("L1.2", math.inf)))

    def test_where_a_good_board_reads_ol_the_numbers_themselves_count(self) -> None:
        model = duo_advice().model
        open_ones = [p.id for p in duo_board().points if p.to is None and (found := model.predicted_at(p.id, DIODE))
                     is not None and math.isinf(float(found.values[NOTHING_ROW]))]
        for point in open_ones[:2]:
            self.assertTrue(self.alike((point, 0.5), (point, 0.501)))
            self.assertFalse(self.alike((point, 0.5), (point, 0.6)))


class RailOfARepairedChipTest(unittest.TestCase):
    """The charger's rail reads some 16 mV low on this board, and the charger is changed: dead, and nothing else."""

    def low(self, *points: str) -> tuple[Payload, ...]:
        model = duo_advice().model
        found = {p: model.predicted_at(p, DIODE) for p in points}
        return as_good(but={p: round(float(one.values[NOTHING_ROW]) - 0.016, 3) for p, one in found.items()
                            if one is not None})

    def leaks(self, *payloads: Payload) -> float:
        """Chance that something leaks, of what is left."""
        model = duo_advice().model
        found = weigh_trail(model, trail_of(*payloads))
        return float(sum(c for f, c in zip(found.hypotheses.faults, found.faults_left, strict=True)
                         if f.kind is FaultKind.LEAKY_PART))

    def test_it_is_not_paid_for_anew_at_other_points_of_the_rail(self) -> None:
        first = (*board_out("no_start"), *self.low("C27.2"))
        mended = (*first, replaced("U2"))
        before = self.leaks(*first)
        again = self.leaks(*mended, *self.low("L1.1", "L1.2", "C27.2"))
        self.assertLess(again, 1.5 * before)

    def test_what_reads_low_for_the_first_time_since_is_paid_for(self) -> None:
        first = (*board_out("no_start"), *as_good("C27.2"))
        mended = (*first, replaced("U2"))
        self.assertGreater(self.leaks(*mended, *self.low("L1.1", "L1.2")), 1.5 * self.leaks(*mended))


class TrailTest(unittest.TestCase):
    def weighed(self, *payloads: Payload) -> Posterior:
        return weigh_trail(duo_advice().model, trail_of(*BASE, *payloads))

    def chance(self, found: Posterior, part: str) -> float:
        return float(sum(c for f, c in zip(found.hypotheses.faults, found.faults_left, strict=True) if f.part == part))

    def test_reading_it_after_every_repair_convicts_nobody(self) -> None:
        """Fuses and capacitors are changed, each knocks something off, and the line reads as it did."""
        model = duo_advice().model
        payloads: list[Payload] = []
        before = self.weighed()
        for part in ("F1", "C1", "C2"):
            near = sorted(p for p in looked_round(model.board, model.heat, part) if p.startswith("C") and p != part)[0]
            payloads += [replaced(part), Audit(AUDIT_STEPS, part=part, seen=(PartSeen(near, "missing"),)),
                         *as_good(*OFF, but=OFF)]
            found = self.weighed(*payloads)
            self.assertEqual(found.since_repair, part)
            for suspect in ("D2", "U3", "U7"):
                self.assertLess(self.chance(found, suspect), self.chance(before, suspect) + 0.02, (part, suspect))

    def test_a_new_part_that_changes_nothing_was_not_it(self) -> None:
        before = self.chance(self.weighed(), "D2")
        after = self.chance(self.weighed(replaced("D2"), Audit(AUDIT_STEPS, part="D2"), *as_good(*OFF, but=OFF)), "D2")
        self.assertLess(after, before / 2)

    def test_one_that_puts_it_right_was(self) -> None:
        found = self.weighed(replaced("D2"), Audit(AUDIT_STEPS, part="D2"), *as_good(*OFF))
        self.assertLess(self.chance(found, "D2"), 0.1)


class WithPartsOffTest(unittest.TestCase):
    """The 3.3 V of the A/V switch reads low before and after the switch was changed; with the link to it off it does
    not."""

    LOW = as_good(but={"C30.1": 0.365})
    SPLIT: tuple[Payload, ...] = (
        *board_out("no_dock"), *LOW, *LOW, replaced("U3"), Audit(AUDIT_STEPS, part="U3"), *LOW, *LOW,
        Proof("dock_b", False), Isolation(("R1",)), Readings(DIODE, (PointReading("C30.1", 0.460),), "M1"))

    def test_what_is_read_with_a_part_off_counts_though_the_point_reads_as_before(self) -> None:
        entries = trail_of(*self.SPLIT)
        cut = next(k for k, entry in enumerate(entries) if isinstance(entry.payload, Rework))
        since, as_before = _since_repair(duo_advice().model, entries, cut, frozenset())
        self.assertEqual({one.point for one in as_before}, {"C30.1"})
        self.assertEqual([item.isolated for item in since.items if item.kind == "reading"], [frozenset({"R1"})])

    def test_what_lies_beyond_the_link_is_cleared_by_it(self) -> None:
        found = weigh_trail(duo_advice().model, trail_of(*self.SPLIT))

        def chance(*parts: str) -> float:
            return float(sum(c for f, c in zip(found.hypotheses.faults, found.faults_left, strict=True)
                             if f.part in parts))

        self.assertGreater(chance("C16", "C48", "C49", "U1", "U4", "U8"), 20.0 * chance("C30", "C31", "C32", "C17"))


class OwnMeterTest(unittest.TestCase):
    """A meter 0.8 % and 4 mV off: the walk along the port tells that it is, the few points read after a repair don't.
    """

    def test_it_is_as_far_off_after_a_repair_as_before_it(self) -> None:
        model, board = duo_advice().model, duo_board()
        good = {point: reference.centre for point in board.port_points
                if (reference := model.references.get(point, DIODE)) is not None and math.isfinite(reference.centre)}
        off = {point: 1.008 * volts + 0.004 if volts > 0.05 else volts for point, volts in good.items()}
        # And a board whose D+ and D- stand somewhat high, as boards do.
        off |= {point: off[point] + 0.006 for point in ("J1.A6", "J1.A7", "J1.B6", "J1.B7")}
        again = {point: off[point] for point in ("J1.A6", "J1.A7", "J1.B6", "J1.B7", "J1.A4")}
        read = [Readings(DIODE, tuple(PointReading(*one) for one in found.items()), "M1") for found in (off, again)]
        found = weigh_trail(model, trail_of(*BASE[:5], read[0], replaced("F1"), Audit(AUDIT_STEPS, part="F1"), read[1]))
        knocked_off = sum(c for f, c in zip(found.hypotheses.faults, found.faults_left, strict=True) if f.part == "D2")
        self.assertLess(knocked_off, 0.05)
