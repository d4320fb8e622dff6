"""Contacts judging each other where no known-good board is, and readings of a warm board."""

from __future__ import annotations

import math
import unittest
from dataclasses import replace
from datetime import timedelta

from dextrum.app.reading.judged import cooling_words, judged_readings
from dextrum.app.reading.sentences import readings_sentence
from dextrum.core.board import Method
from dextrum.core.job import job_facts
from dextrum.core.reference.judge import Verdict, judge
from dextrum.core.reference.table import NO_REFERENCES
from dextrum.core.reference.warm import COOLING
from dextrum.core.reference.within_scan import references_within_scan
from dextrum.core.trail import JobOpened, PointReading, Readings, Rework, Strike
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard
from tests.support import DUO, START, duo_advice, duo_board, fault_named, library, trail_of

RED = Method.DIODE_RED_GROUND
OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)


def scan(*faults: str, seed: int = 5) -> dict[str, float]:
    """A port scan of a simulated unit with these faults."""
    import numpy as np

    named = [fault_named(duo_advice().model.hypotheses.faults, name) for name in faults]
    unit = SimulatedBoard(duo_board(), [(f, f.variants[0][0]) for f in named], np.random.default_rng(seed))
    return {p: unit.read(p, RED, METER_M1) for p in duo_board().port_point_ids()}


def verdicts(values: dict[str, float]) -> dict[str, Verdict]:
    entry = Readings(RED, tuple(PointReading(p, v) for p, v in values.items()), "M1")
    facts = job_facts(trail_of(OPENED, entry))
    return {p: r.judgement.verdict for p, r in judged_readings(duo_board(), NO_REFERENCES, facts).items()}


class WithinScanTest(unittest.TestCase):
    def test_a_healthy_scan_hardly_ever_alarms(self) -> None:
        alarms = sum(any(v.is_off for v in verdicts(scan(seed=seed)).values()) for seed in range(25))
        self.assertLessEqual(alarms, 2)

    def test_shorts_and_opens_stand_out_against_their_kin(self) -> None:
        for fault, contact, said in (("U1:hard_short:CC2", "J1.B5", Verdict.GROUNDED),
                                     ("J1:open_contact:A10", "J1.A10", Verdict.OPEN),
                                     ("J1:open_contact:A5", "J1.A5", Verdict.OPEN)):
            found = verdicts(scan(fault))
            self.assertIs(found[contact], said, fault)

    def test_what_is_off_at_both_twins_is_off(self) -> None:
        good = scan()
        for contacts, value, said in ((("A4", "B4"), 0.0, Verdict.GROUNDED), (("A6", "B6"), math.inf, Verdict.OPEN),
                                      (("A5", "B5"), 0.08, Verdict.PARTIAL_SHORT)):
            found = verdicts({**good, **{f"J1.{c}": value for c in contacts}})
            self.assertEqual({found[f"J1.{c}"] for c in contacts}, {said})

    def test_nothing_is_within_beside_a_partner_that_is_off(self) -> None:
        found = verdicts({"J1.A5": 0.58, "J1.B5": 0.0})
        self.assertEqual((found["J1.A5"], found["J1.B5"]), (Verdict.NOT_JUDGED, Verdict.GROUNDED))

    def test_a_role_that_a_board_leaves_unconnected_is_not_judged(self) -> None:
        lanes = [p for p in duo_board().port_point_ids() if duo_board().net_by_name[
            duo_board().net_of(duo_board().point_by_id[p].at)].role == "lane"]
        self.assertFalse(any(v.is_off for v in verdicts(dict.fromkeys(lanes, math.inf)).values()))

    def test_what_it_rests_on_is_said(self) -> None:
        entry = Readings(RED, tuple(PointReading(p, v) for p, v in scan().items()), "M1")
        facts = job_facts(trail_of(OPENED, entry))
        judged = judged_readings(duo_board(), NO_REFERENCES, facts)
        self.assertEqual({r.judgement.origin for r in judged.values()}, {"scan"})
        self.assertIn("weaker", next(iter(judged.values())).judgement.basis)
        self.assertIn("which is weaker", readings_sentence(duo_board(), judged, duo_board().port_point_ids()))

    def test_the_nearest_kin_speaks(self) -> None:
        values = dict.fromkeys(duo_board().port_point_ids(), 0.5)
        found = references_within_scan(duo_board(), values, RED)
        self.assertLess(found["J1.A4"].spread, found["J1.A5"].spread)
        self.assertEqual(references_within_scan(duo_board(), values, Method.RESISTANCE), {})

    def test_one_contact_alone_is_not_judged(self) -> None:
        self.assertEqual(verdicts({"J1.A5": 0.5}), {"J1.A5": Verdict.NOT_JUDGED})

    def test_known_good_boards_come_first(self) -> None:
        entry = Readings(RED, (PointReading("J1.A5", 0.4), PointReading("J1.B5", 0.4)), "M1")
        judged = judged_readings(duo_board(), duo_advice().model.references, job_facts(trail_of(OPENED, entry)))
        self.assertEqual({r.judgement.origin for r in judged.values()}, {"own"})


class WarmBoardTest(unittest.TestCase):
    def test_a_warm_reading_is_judged_as_if_it_were_cool(self) -> None:
        references = library().references(DUO, "M1")
        good = references.get("J1.A5", RED)
        assert good is not None
        warm = good.centre - 0.002 * 30 * good.centre / 0.5
        facts = [job_facts(trail_of(OPENED, Readings(RED, (PointReading("J1.A5", warm),), "M1", celsius)))
                 for celsius in (None, 51.0)]
        said = [judged_readings(duo_board(), references, f)["J1.A5"].judgement.verdict for f in facts]
        self.assertEqual(said, [Verdict.LOW, Verdict.WITHIN])

    def test_after_heat_it_asks_to_cool_or_for_the_temperature(self) -> None:
        trail = job_facts(trail_of(OPENED, Rework("replace", "F1")))
        at = START + timedelta(minutes=1)
        self.assertIn("let it cool", cooling_words(trail, at + timedelta(minutes=2), None))
        self.assertEqual(cooling_words(trail, at + timedelta(minutes=2), 40.0), "")
        self.assertEqual(cooling_words(trail, at + COOLING, None), "")
        self.assertEqual(cooling_words(job_facts(trail_of(OPENED, Rework("clean", "J1"))), at, None), "")
        self.assertEqual(cooling_words(job_facts(trail_of(OPENED, Rework("replace", "F1"), Strike("e1"))), at,
                                       None), "")

    def test_open_stays_open_however_warm(self) -> None:
        good = library().references(DUO, "M1").get("J1.A5", RED)
        assert good is not None
        self.assertIs(judge(math.inf, replace(good)).verdict, Verdict.OPEN)


if __name__ == "__main__":
    unittest.main()
