"""A part is changed as a whole: its chance is that of any of its faults, and its reasons are those for any of them."""

from __future__ import annotations

import tempfile
import unittest
from pathlib import Path

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.suspect_words import suspect_words
from dextrum.app.money.job_prices import job_prices
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Method
from dextrum.core.diagnosis.suspected_parts import chance_by_part, suspected_parts
from dextrum.core.trail import (
    Access,
    Cell,
    Injection,
    Intake,
    JobOpened,
    Look,
    Payload,
    PointReading,
    Readings,
    Rework,
    Supply,
)
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import duo_advice, duo_board, empty_store, fault_named, library_of, trail_of

BEGUN: tuple[Payload, ...] = (
    JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c"), Intake("does not charge", ("no_charge",)), Look(("clean",)),
    Supply("a", 5.0, 0.06), Supply("b", 5.0, 0.06), Cell("unplugged"), Access("board_out"))
GROUNDED = Readings(Method.DIODE_RED_GROUND, (PointReading("L4.1", 0.0),), "M1")
WARM = Injection("V3V3", 3.3, 1.8, "U4")


def assessed(*more: Payload) -> Assessment:
    return assess(duo_advice(), trail_of(*BEGUN, *more))


def port_of(*faults: str) -> tuple[Payload, ...]:
    """The port's contacts of a unit with these faults, read twice."""
    board, known = duo_board(), duo_advice().model.hypotheses.faults
    chosen = [(fault := fault_named(known, name), fault.variants[0][0]) for name in faults]
    unit = SimulatedBoard(board, chosen, np.random.default_rng(3))
    return 2 * tuple(Readings(method, (PointReading(name, unit.read(name, method, METER_M1)),), "M1")
                     for name in board.port_point_ids() if (method := board.point_by_id[name].default_method))


class PartTest(unittest.TestCase):
    def test_a_part_that_may_fail_in_two_ways_has_the_chance_of_both(self) -> None:
        """A warm converter is found, whichever of its pins is on ground: half and half is not half of it."""
        done = assessed(GROUNDED, GROUNDED, WARM)
        lead = done.parts[0]
        self.assertEqual(lead.part, "U4")
        self.assertLess(lead.lead.probability, 0.6)
        self.assertGreater(lead.chance, 0.95)
        self.assertFalse(lead.named)
        self.assertGreaterEqual(lead.ways, 2)
        self.assertEqual(suspect_words(duo_board(), lead), f"3.3 V buck converter: one of {lead.ways} faults")
        self.assertEqual(suspect_words(None, lead), f"one of {lead.ways} faults")

    def test_a_part_is_called_by_its_fault_where_that_is_most_of_it(self) -> None:
        lead = assessed(*port_of("U1:hard_short:CC2")).parts[0]
        self.assertEqual((lead.part, lead.lead.fault.id, lead.named), ("U1", "U1:hard_short:CC2", True))
        self.assertIn(lead.lead.fault.words, suspect_words(duo_board(), lead))

    def test_the_chance_of_a_part_is_that_of_the_sets_that_hold_any_of_its_faults(self) -> None:
        for more in ((GROUNDED,), (GROUNDED, GROUNDED, WARM), (GROUNDED, WARM, Rework("replace", "U4"))):
            found = assessed(*more).posterior
            by_part, beyond = chance_by_part(found), 1.0 - found.covered
            for part in ("U4", "J1", "U1", "C17"):
                sets = found.chance_of_any(found.hypotheses.rows_of_part(part))
                self.assertAlmostEqual(by_part[part], sets, delta=beyond + 1e-6)
                self.assertLessEqual(by_part[part], 1.0)

    def test_two_faults_of_one_part_count_once(self) -> None:
        """Two contacts that are surely open are one port that is surely at fault, and never two hundred per cent."""
        found = assessed(*port_of("J1:open_contact:A4", "J1:open_contact:B5")).posterior
        of_port = np.array([fault.part == "J1" for fault in found.hypotheses.faults])
        self.assertGreater(float(found.faults[of_port].sum()), 1.2)
        sets = found.chance_of_any(found.hypotheses.rows_of_part("J1"))
        self.assertAlmostEqual(chance_by_part(found)["J1"], sets, delta=1.0 - found.covered)
        self.assertGreater(sets, 0.7)

    def test_a_repaired_part_keeps_its_place_with_the_chance_that_is_left(self) -> None:
        done = assessed(GROUNDED, GROUNDED, WARM, Rework("replace", "U4"))
        self.assertEqual(done.parts[0].part, "U4")
        self.assertTrue(done.parts[0].lead.mended)
        self.assertLess(done.parts[0].chance, 0.2)

    def test_a_board_without_evidence_has_no_suspects_beyond_how_often_they_happen(self) -> None:
        found = suspected_parts(assess(duo_advice(), trail_of(BEGUN[0])).posterior)
        self.assertEqual([one.chance for one in found], sorted((one.chance for one in found), reverse=True))

    def test_what_speaks_for_a_part_speaks_for_any_of_its_faults(self) -> None:
        done = assessed(GROUNDED, GROUNDED, WARM)
        warm = next(r for r in done.reasons["U4"] if r.items[0].kind == "warmth")
        self.assertGreater(warm.log_odds, 3.0)
        self.assertEqual(set(done.reasons), {one.part for one in done.parts})

    def test_what_an_outcome_means_is_a_part_and_its_fault_only_where_that_is_sure(self) -> None:
        offered = next(a for a in assessed(GROUNDED, GROUNDED).advice.ranked if a.kind == "inject")
        warm = next(o.meaning for o in offered.outcomes if o.outcome == "U4 warms")
        self.assertTrue(warm.startswith("U4 3.3 V buck converter, "), warm)

    def test_what_the_pack_does_not_list_is_said_as_that(self) -> None:
        done = assessed(GROUNDED)
        weighing = Weighing(duo_advice(), done.posterior, done.facts)
        unlisted = done.posterior.hypotheses.unlisted[weighing.sets].all(axis=1)
        self.assertTrue(weighing.lead(np.where(unlisted, 1.0, 0.0)).startswith("something else, "))

    def test_a_price_says_what_was_found_before_anything_is_repaired(self) -> None:
        trail = trail_of(*BEGUN, GROUNDED, GROUNDED, WARM)
        done = assess(duo_advice(), trail)
        with tempfile.TemporaryDirectory() as folder:
            store = empty_store(Path(folder) / "jobs.sqlite")
            self.addCleanup(store.close)
            finding = job_prices(store, library_of(), done, trail, "M1").finding
        self.assertTrue(finding.startswith("U4 3.3 V buck converter: one of"), finding)
        self.assertTrue(finding.endswith("> 99 %"), finding)


if __name__ == "__main__":
    unittest.main()
