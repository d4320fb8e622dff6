"""The tester turned over in the port: what stays is the device's, what moves is the tester's."""

from __future__ import annotations

import unittest

from dextrum.app.advising.assess import assess
from dextrum.app.reading.judged import judged_readings
from dextrum.app.reading.sentences import turned_words
from dextrum.core.board import Method
from dextrum.core.job import job_facts
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.reference.tester import facing_points, tester_judged, turned_findings
from dextrum.core.trail import Cell, Entry, JobOpened, Look, PointReading, Readings, Rework
from tests.support import DUO, duo_advice, duo_board, trail_of

RED = Method.DIODE_RED_GROUND
OL = float("inf")
OPENED = JobOpened("S", "Tarnwick Duo", DUO)


def good(point: str) -> float:
    reference = duo_advice().model.references.get(point, RED)
    assert reference is not None
    return reference.centre


def scan(turned: bool, **off: float) -> Readings:
    """A whole scan of a good board with some contacts reading otherwise."""
    points = duo_board().port_point_ids()
    return Readings(RED, tuple(PointReading(p, off.get(p.partition(".")[2], round(good(p), 3))) for p in points), "M1",
                    turned=turned)


def trail(*scans: Readings) -> tuple[Entry, ...]:
    return trail_of(OPENED, Look(("clean",)), Cell("unplugged"), *scans)


class TurnedTest(unittest.TestCase):
    def findings(self, *scans: Readings) -> set[tuple[str, str]]:
        facts = job_facts(trail(*scans))
        return {(f.point, f.belongs) for f in turned_findings(duo_board(), duo_advice().model.references, facts)}

    def test_every_contact_faces_the_one_of_its_number_in_the_other_row(self) -> None:
        facing = facing_points(duo_board())
        self.assertEqual((facing["J1.A10"], facing["J1.B10"], len(facing)), ("J1.B10", "J1.A10", 24))

    def test_a_fault_that_stays_with_the_contact_is_the_devices(self) -> None:
        self.assertEqual(self.findings(scan(False, A10=OL), scan(True, A10=OL)), {("J1.A10", "device")})

    def test_a_fault_that_moves_with_the_tester_is_the_testers(self) -> None:
        self.assertEqual(self.findings(scan(False, A10=OL), scan(True, B10=OL)), {("J1.A10", "tester")})

    def test_off_once_and_nothing_else_is_a_touch(self) -> None:
        self.assertEqual(self.findings(scan(False, A10=OL), scan(True)), {("J1.A10", "touch")})
        self.assertEqual(self.findings(scan(False), scan(True, B3=OL)), {("J1.B3", "touch")})

    def test_a_device_fault_and_a_pads_fault_are_told_apart(self) -> None:
        found = self.findings(scan(False, A10=OL, B5=0.001), scan(True, B10=OL, B5=0.001))
        self.assertEqual(found, {("J1.A10", "tester"), ("J1.B5", "device")})

    def test_one_way_up_only_says_nothing(self) -> None:
        self.assertEqual(self.findings(scan(False, A10=OL)), set())
        self.assertEqual(self.findings(scan(True, A10=OL)), set())

    def test_before_a_repair_and_after_it_are_kept_apart(self) -> None:
        facts = job_facts(trail(scan(False, A10=OL), Rework("replace", "J1"), scan(True)))  # type: ignore[arg-type]
        self.assertEqual(turned_findings(duo_board(), duo_advice().model.references, facts), ())

    def test_a_pads_fault_is_judged_and_weighed_by_what_the_other_pad_reads(self) -> None:
        entries = trail(scan(False, A10=OL), scan(True, B10=OL))
        references = duo_advice().model.references
        facts = tester_judged(duo_board(), references, job_facts(entries))
        judged = judged_readings(duo_board(), references, facts)
        self.assertEqual({judged[p].judgement.verdict for p in ("J1.A10", "J1.B10")}, {Verdict.WITHIN})
        healthy = assess(duo_advice(), trail(scan(False), scan(True)))
        found = assess(duo_advice(), entries)
        self.assertAlmostEqual(found.posterior.nothing, healthy.posterior.nothing, delta=0.02)
        blamed = assess(duo_advice(), trail(scan(False, A10=OL), scan(True, A10=OL)))
        self.assertLess(blamed.posterior.nothing, 0.01)

    def test_without_known_good_the_other_contacts_of_the_scan_judge(self) -> None:
        facts = job_facts(trail(scan(False, A5=0.001), scan(True, A5=0.001)))
        found = {(f.point, f.belongs) for f in turned_findings(duo_board(), NO_REFERENCES, facts)}
        self.assertIn(("J1.A5", "device"), found)

    def test_the_sentence_says_what_stayed_and_what_moved(self) -> None:
        facts = job_facts(trail(scan(False, A10=OL, B5=0.001, A2=OL), scan(True, B10=OL, B5=0.001)))
        said = turned_words(duo_board(), turned_findings(duo_board(), duo_advice().model.references, facts))
        for words in ("B5 CC2 stayed abnormal", "in the unit", "The fault moved with the tester",
                      "tester's pad facing A10 RX2−", "Abnormal only once: A2 TX1+"):
            self.assertIn(words, said)


if __name__ == "__main__":
    unittest.main()
