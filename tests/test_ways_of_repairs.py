"""Whether a repair has taken is one thing for what was read and what was tried since."""

from __future__ import annotations

import unittest

import numpy as np

from dextrum.core.diagnosis.evidence import gather_evidence
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.posterior import Posterior, weigh_sets
from dextrum.core.diagnosis.ways_of_repairs import MOST_REPAIRED, repair_ways
from dextrum.core.log_sum import log_sum_by_group
from dextrum.core.trail import Payload, Proof, Rework, Supply
from tests.support import as_good, board_out, duo_advice, duo_board, trail_of

OPEN = float("inf")
CONTACTS = duo_board().port_point_ids()
FOUND = (*board_out("no_charge"), *as_good(*CONTACTS, but={"J1.A5": OPEN}), *as_good("J1.A5", but={"J1.A5": OPEN}))
REFLOWED = Rework("reflow", "J1", source="stock")
DEAD = (Proof("charge_a", False), Proof("charge_a", False),
        Supply("a", 5.18, 0.0, 1.0, supply_proved=True), Supply("b", 8.97, 2.1, 1.0, supply_proved=True))
"""After the repair the unit still does not charge that way up."""


def weighed(*payloads: Payload) -> Posterior:
    model = duo_advice().model
    return weigh_sets(model, gather_evidence(model, trail_of(*payloads)))


def still(posterior: Posterior, part: str) -> float:
    return posterior.chance_of_any(posterior.hypotheses.rows_of_part(part))


class AgreedTest(unittest.TestCase):
    def test_a_contact_that_reads_well_at_two_touches_is_not_suspected_for_what_fails(self) -> None:
        well = (*as_good(*CONTACTS), *as_good("J1.A5"))
        self.assertLess(still(weighed(*FOUND, REFLOWED, *well, *DEAD), "J1"), 0.2)

    def test_one_that_reads_open_still_is_and_all_the_more_for_what_fails(self) -> None:
        open_still = (*as_good(*CONTACTS, but={"J1.A5": OPEN}), *as_good("J1.A5", but={"J1.A5": OPEN}))
        read = still(weighed(*FOUND, REFLOWED, *open_still), "J1")
        self.assertGreater(read, 0.9)
        self.assertGreater(still(weighed(*FOUND, REFLOWED, *open_still, *DEAD), "J1"), read)

    def test_what_was_read_between_two_repairs_speaks_of_the_first_and_not_of_the_second(self) -> None:
        between = as_good("J1.A5", but={"J1.A5": OPEN})
        well = (*as_good(*CONTACTS), *as_good("J1.A5"))
        twice = weighed(*FOUND, REFLOWED, *between, REFLOWED, *well)
        self.assertLess(still(twice, "J1"), 0.05)
        self.assertGreater(float(twice.faults[[f.part == "J1" for f in twice.hypotheses.faults]].sum()), 0.9)

    def test_after_three_repairs_what_reads_so_is_this_board(self) -> None:
        read = as_good("J1.A5", but={"J1.A5": OPEN})
        once_more: tuple[Payload, ...] = (REFLOWED, *read)
        often = weighed(*FOUND, *once_more * (MOST_REPAIRED + 1))
        joints = np.array([f.part == "J1" and f.kind == "lifted_joint" for f in often.hypotheses.faults])
        self.assertLess(float(often.faults_left[joints].sum()), 0.01)


class BesideOthersTest(unittest.TestCase):
    """A short between a supply and ground that any of several parts may be, mended in turn."""

    VBUS = ("J1.A4", "J1.A9", "J1.B4", "J1.B9")

    def shorted(self) -> tuple[Payload, ...]:
        return as_good(*CONTACTS, but=dict.fromkeys(self.VBUS, 0.192))

    def test_a_part_that_was_replaced_is_not_suspected_again_for_what_the_next_one_shows(self) -> None:
        """It stood at 90 %: that its repair had failed once for all readings was added to what each of a pair said,
        though of two shorts on one supply only one shows."""
        found = weighed(*board_out("no_charge"), *self.shorted(), Rework("replace", "C2"), *self.shorted(),
                        Rework("replace", "C10"), *self.shorted())
        for part in ("C2", "C10"):
            self.assertLess(still(found, part), 0.1, part)
        self.assertGreater(still(found, "U1"), 0.2)


class SharesTest(unittest.TestCase):
    def setUp(self) -> None:
        self.found = weighed(*FOUND, REFLOWED, *as_good(*CONTACTS), *DEAD)

    def test_the_ways_of_a_set_make_it_up(self) -> None:
        ways, sets = self.found.ways, self.found.sets
        assert ways is not None
        np.testing.assert_allclose(np.bincount(ways.source, np.exp(ways.log_share)), 1.0, rtol=1e-9)
        remains = self.found.what_remains
        np.testing.assert_allclose(np.bincount(remains.source, remains.share), sets.weight, rtol=1e-9)
        self.assertTrue((np.diff(sets.weight) <= 1e-12).all(), "likeliest first")

    def test_what_no_repair_has_touched_weighs_what_it_did(self) -> None:
        model, ways, sets = duo_advice().model, self.found.ways, self.found.sets
        assert ways is not None
        gone = model.hypotheses.rows_mended(self.found.evidence.mended_ids)
        untouched = ~((sets.rows != NO_ROW) & gone[sets.rows]).any(axis=1)
        self.assertTrue(untouched.any())
        np.testing.assert_array_equal(ways.log_more[untouched], 0.0)
        np.testing.assert_array_equal(ways.kept[untouched[ways.source]],
                                      (sets.rows != NO_ROW)[ways.source[untouched[ways.source]]])

    def test_with_readings_alone_both_agree_already(self) -> None:
        found = weighed(*board_out("no_charge")[:1], *FOUND[len(board_out("no_charge")):], REFLOWED,
                        *as_good(*CONTACTS))
        assert found.ways is not None
        several = (found.sets.rows != NO_ROW).sum(axis=1) > 1
        np.testing.assert_allclose(found.ways.log_more[~several], 0.0, atol=1e-6)

    def test_a_repair_before_anything_was_read_or_tried(self) -> None:
        found = weighed(board_out("no_charge")[0], REFLOWED)
        assert found.ways is not None
        np.testing.assert_array_equal(found.ways.log_more, 0.0)
        self.assertAlmostEqual(float(found.what_remains.weight.sum()), 1.0)

    def test_without_a_repair_there_are_no_ways(self) -> None:
        found = weighed(*FOUND)
        self.assertIsNone(found.ways)
        np.testing.assert_array_equal(np.sort(found.what_remains.weight), np.sort(found.sets.weight))

    def test_failures_are_looked_for_in_every_set_where_that_is_asked(self) -> None:
        model, evidence, sets = duo_advice().model, self.found.evidence, self.found.sets
        every = repair_ways(model, evidence, sets.rows, sets.weight, every=True)
        assert self.found.ways is not None
        self.assertGreater(len(every.source), len(self.found.ways.source))


class LogSumTest(unittest.TestCase):
    def test_groups_are_summed_by_themselves(self) -> None:
        found = log_sum_by_group(np.array([-1000.0, -1000.0, 3.0, -np.inf]), np.array([0, 0, 2, 3]), 4)
        np.testing.assert_allclose(found, [-1000.0 + np.log(2.0), -np.inf, 3.0, -np.inf])


if __name__ == "__main__":
    unittest.main()
