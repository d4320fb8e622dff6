"""What is said is so: waits that are due, chances after a repair, earlier jobs, leaks, and two meters in one job."""

from __future__ import annotations

import math
import unittest
from datetime import UTC, datetime, timedelta

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.advising.rail_words import rail_verdict, rail_words
from dextrum.app.advising.reason_words import as_before_words, load_words, not_suspected_words
from dextrum.app.handover.handover import make_sheet
from dextrum.app.job.earlier_jobs import earlier_words
from dextrum.app.reading.judged import judged_readings
from dextrum.app.reading.sentences import abnormal_words, readings_sentence
from dextrum.app.reading.typed import parse_volts_and_amps
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.recommend import build_advice_model
from dextrum.core.board import Method
from dextrum.core.board.procedures import RailCheck
from dextrum.core.diagnosis.model import build_model
from dextrum.core.diagnosis.other_make import OtherMake
from dextrum.core.diagnosis.suspected_parts import chance_by_part
from dextrum.core.draw.records import draw_records, every_draw_record
from dextrum.core.job import JobFacts, job_facts, with_time
from dextrum.core.reference.table import build_reference_table
from dextrum.core.trail import (
    Cell,
    Intake,
    JobOpened,
    Look,
    Outcome,
    Payload,
    PointReading,
    Readings,
    Rework,
    Supply,
    Wait,
)
from dextrum.errors import EntryRefusedError
from dextrum.instruments.loaners import known_good_of_loaners
from dextrum.instruments.simulated_board import METER_M1, SimulatedBoard, SimulatedMeter
from dextrum.store.jobs import JobRow
from tests.support import DUO, as_good, duo_advice, duo_board, fault_named, replaced, trail_of

OPENED = JobOpened("T-1", "Tarnwick Duo", DUO)
RED = Method.DIODE_RED_GROUND
BEGUN: tuple[Payload, ...] = (OPENED, Intake("does not charge", ("no_charge",)), Look(("clean",)))


def assessed(*payloads: Payload, now: datetime | None = None) -> Assessment:
    return assess(duo_advice(), trail_of(*BEGUN, *payloads), explain=False, now=now)


def red(**values: float) -> Readings:
    return Readings(RED, tuple(PointReading(p.replace("_", "."), v) for p, v in values.items()), "M1")


class DueWaitTest(unittest.TestCase):
    UNTIL = "2026-03-12T14:20"

    def local(self, minute: int) -> datetime:
        return datetime(2026, 3, 12, 14, minute).astimezone()

    def test_before_its_time_it_waits_and_after_it_the_draw_is_read_again(self) -> None:
        trail = (Supply("a", 9.0, 0.1), Wait("Is the draw growing?", self.UNTIL))
        before, after = (assessed(*trail, now=self.local(minute)).advice.next for minute in (19, 20))
        self.assertEqual(before.kind, "wait")
        self.assertEqual((after.kind, after.target), ("supply", "a"))
        self.assertIn("The wait is over", after.why)

    def test_a_part_that_was_waited_for_leads_to_what_would_be_next(self) -> None:
        plain = assessed().advice.next
        due = assessed(Wait("The port comes", self.UNTIL), now=self.local(59)).advice.next
        self.assertEqual((due.kind, due.target), (plain.kind, plain.target))
        self.assertIn("The port comes", due.why)

    def test_without_a_time_it_waits_for_ever(self) -> None:
        facts = job_facts(trail_of(*BEGUN, Wait("A part")))
        self.assertFalse(with_time(facts, self.local(0)).wait_is_over)


class AfterRepairTest(unittest.TestCase):
    def test_the_chance_of_a_repaired_part_is_that_it_is_there_still(self) -> None:
        opened = Readings(Method.RESISTANCE, (PointReading("FL5.3-4", math.inf),), "M1")
        whole = Readings(Method.RESISTANCE, (PointReading("FL5.3-4", 0.5),), "M1")
        read: tuple[Payload, ...] = (Cell("unplugged"), red(J1_A10=math.inf), opened, opened)
        dock = Intake("no picture in the dock", ("no_dock",))
        mended: tuple[Payload, ...] = (replaced("FL5"), whole, *as_good("J1.A10", "FL5.3", "FL5.4"))
        before, after = assessed(dock, *read), assessed(dock, *read, *mended)
        self.assertGreater(chance_by_part(before.posterior)["FL5"], 0.8)
        self.assertLess(chance_by_part(after.posterior)["FL5"], 0.1)
        self.assertGreater(float(after.posterior.faults.max()), 0.8, "it was there")
        self.assertGreater(after.advice.nothing_left, 0.5)

    def test_reads_as_before_is_said_with_the_points(self) -> None:
        board = duo_board()
        same = job_facts(trail_of(*BEGUN, red(J1_B5=0.001), replaced("U1"), red(J1_B5=0.001)))
        other = job_facts(trail_of(*BEGUN, red(J1_B5=0.001), replaced("U1"), red(J1_B5=0.586)))
        references = duo_advice().model.references
        self.assertIn("B5", as_before_words(board, judged_readings(board, references, same)))
        self.assertEqual(as_before_words(board, judged_readings(board, references, other)), "")
        make = OtherMake("U1", {}, -1, 9, frozenset({"J1.B5"}))
        self.assertEqual(as_before_words(board, judged_readings(board, references, same), (make,)), "")

    def test_a_part_nobody_suspected_is_named_with_the_advice(self) -> None:
        done = assessed(Supply("a", 9.0, 1.9))
        said = not_suspected_words(done, "C60")
        self.assertIn("C60 was not suspected", said)
        self.assertIn("advised instead", said)
        lead = assessed(Cell("unplugged"), red(J1_B5=0.001, J1_A5=0.586)).advice.next
        if lead.kind == "repair":
            self.assertEqual(not_suspected_words(done, lead.target), "")


class LeakWordsTest(unittest.TestCase):
    def test_only_a_short_is_called_one(self) -> None:
        self.assertEqual(load_words((), frozenset()), "")
        from dextrum.core.advice.elimination import Load

        loads = (Load("C12", "Lift", "bulk", 2.0, 0.3, "may be the one"),)
        self.assertIn("VBUS reads slightly low. Possible leak", load_words(loads, frozenset(), "VBUS"))
        self.assertIn("shorted rail", load_words(loads, frozenset()))

    def test_vbus_a_little_low_is_no_short(self) -> None:
        low = assessed(Cell("unplugged"), *as_good("J1.A4", "J1.A9", "J1.B4", "J1.B9", but={
            "J1.A4": 0.43, "J1.A9": 0.43, "J1.B4": 0.43, "J1.B9": 0.43})).advice
        short = assessed(Cell("unplugged"), red(J1_A4=0.004, J1_A9=0.004, J1_B4=0.004, J1_B9=0.004)).advice
        if low.loads:
            self.assertEqual(low.leaks_at, "VBUS")
        self.assertTrue(short.loads)
        self.assertEqual(short.leaks_at, "")


class EarlierJobsTest(unittest.TestCase):
    def row(self, job: str, at: str, outcome: str) -> JobRow:
        return JobRow(job, "T-1", "Tarnwick Duo", DUO, at, "handover", "", "", "", outcome, at)

    def test_what_was_done_then_and_how_it_ended(self) -> None:
        last = job_facts(trail_of(OPENED, Rework("replace", "F1"), Outcome("repaired")))
        rows = (self.row("b", "2026-03-12T09:00:00+00:00", "repaired"), self.row("a", "2025-03-12T09:00:00+00:00", ""))
        said = earlier_words(rows, last)
        for words in ("12 Mar 2026", "F1 replaced", "repaired", "1 job before that"):
            self.assertIn(words, said)
        self.assertEqual(earlier_words((), JobFacts()), "")


class SentenceTest(unittest.TestCase):
    def test_the_board_says_what_the_port_has(self) -> None:
        board, references = duo_board(), duo_advice().model.references
        judged = judged_readings(board, references, job_facts(trail_of(*BEGUN, red(J1_A10=1.2, J1_B5=0.001))))
        self.assertEqual(abnormal_words(board, judged, board.port_point_ids()),
                         "A10 RX2− reads high and B5 CC2 is grounded")
        self.assertTrue(readings_sentence(board, judged, board.port_point_ids()).startswith("A10 RX2− reads high"))
        self.assertEqual(abnormal_words(board, {}, board.port_point_ids()), "")

    def test_the_owner_is_told_no_more_than_was_measured(self) -> None:
        board, references = duo_board(), duo_advice().model.references

        def said(*payloads: Payload) -> str:
            trail = trail_of(OPENED, *payloads)
            at = datetime(2026, 3, 12, tzinfo=UTC)
            return make_sheet(board, references, trail, "Bench", "Ines", at).nothing_found

        self.assertEqual(said(), "Not measured yet.")
        self.assertEqual(said(red(J1_B5=0.586)), "No fault found in 1 reading.")

    def test_a_rail_is_up_or_down_and_named_with_its_point(self) -> None:
        check = RailCheck("V3V3", "C16.1", "3.3 V rail", (), 3.0, "")
        self.assertEqual((rail_verdict(check, 3.0), rail_verdict(check, 2.99)), ("up", "down"))
        self.assertIn("C16.1", rail_words(check, 1.2))

    def test_what_was_really_used_for_an_injection(self) -> None:
        for text in ("0.8 V 1.2 A", "0.8 1.2", "0,8V 1,2A", "0.8; 1.2"):
            self.assertEqual(parse_volts_and_amps(text), (0.8, 1.2), text)
        for text in ("", "0.8", "0.8 1.2 3", "much more", "0 1", "-1 1"):
            with self.assertRaises(EntryRefusedError, msg=text):
                parse_volts_and_amps(text)


class ReplacedDrawTest(unittest.TestCase):
    def test_what_a_later_plug_in_replaced_is_still_listed(self) -> None:
        trail = trail_of(*BEGUN, Supply("a", 9.0, 1.9, minute=1.0), Supply("a", 9.0, 1.8, minute=2.0),
                         Supply("a", 9.0, 1.0, minute=0.0), Supply("b", 9.0, 1.9))
        latest, replaced_ones = every_draw_record(trail)
        self.assertEqual(latest, draw_records(trail))
        self.assertEqual([len(r.entry_ids) for r in replaced_ones], [2])
        self.assertEqual(sorted(r.orientation for r in latest), ["a", "b"])


class TwoMetersTest(unittest.TestCase):
    """One reads 1 % and 25 mV more than the other: each reading by its own."""

    HIGH = SimulatedMeter("M2", gain=1.01, offset_volts=0.025)
    advice: AdviceModel

    @classmethod
    def setUpClass(cls) -> None:
        board = duo_board()
        known = known_good_of_loaners(board, meters=(METER_M1, cls.HIGH))
        cls.advice = build_advice_model(build_model(board, build_reference_table(board, known, "M1")))

    def by_these(self, *payloads: Payload) -> Assessment:
        return assess(self.advice, trail_of(*BEGUN, Cell("unplugged"), *payloads), explain=False)

    POINTS = ("J1.A5", "J1.B5", "J1.A6", "J1.B6", "J1.A7", "J1.A10", "J1.A11", "J1.B2", "J1.B10", "J1.A4")

    def trail(self, meters: tuple[SimulatedMeter, ...]) -> tuple[Payload, ...]:
        fault = fault_named(duo_advice().model.hypotheses.faults, "FL5:open_winding:3:4")
        unit = SimulatedBoard(duo_board(), [(fault, 0.0)], np.random.default_rng(8))
        return tuple(Readings(RED, (PointReading(p, unit.read(p, RED, meter)),), meter.name)
                     for k, p in enumerate(self.POINTS) for meter in (meters[k % len(meters)],))

    def test_nothing_is_suspected_that_one_meter_would_not_suspect(self) -> None:
        one, two = (self.by_these(*self.trail(meters)).posterior for meters in ((METER_M1,), (METER_M1, self.HIGH)))
        self.assertEqual(int(one.faults.argmax()), int(two.faults.argmax()))
        self.assertLess(float(np.abs(one.faults - two.faults).max()), 0.15)

    def test_each_verdict_is_by_its_own_meter_and_shows_what_it_showed(self) -> None:
        board, references = duo_board(), self.advice.model.references
        facts = self.by_these(*self.trail((self.HIGH,))).facts
        judged = judged_readings(board, references, facts)
        self.assertEqual([p for p, r in judged.items() if r.judgement.verdict.is_off], ["J1.A10"])
        shown = job_facts(trail_of(*BEGUN, *self.trail((self.HIGH,)))).readings or {}
        self.assertEqual({key[1]: r.value for key, r in shown.items()},
                         {point: r.reading.shown for point, r in judged.items()})


class EarliestTest(unittest.TestCase):
    def test_a_wait_in_another_zone_is_due_by_the_benchs_clock(self) -> None:
        later = datetime.now(UTC) + timedelta(minutes=5)
        facts = job_facts(trail_of(*BEGUN, Wait("x", later.isoformat(timespec="minutes"))))
        self.assertFalse(with_time(facts, datetime.now(UTC)).wait_is_over)
        self.assertTrue(with_time(facts, datetime.now(UTC) + timedelta(minutes=6)).wait_is_over)


if __name__ == "__main__":
    unittest.main()
