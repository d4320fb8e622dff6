"""What a repair has changed, in words and by the reading before it."""

from __future__ import annotations

import unittest
from datetime import UTC, datetime, timedelta
from math import inf

from dextrum.app.reading.before_after import before_after_words, was_off
from dextrum.app.reading.judged import judged_readings
from dextrum.core.board import Method
from dextrum.core.job import job_facts
from dextrum.core.trail import Entry, JobOpened, PointReading, Readings, Rework
from tests.support import DUO, library

BEGUN = datetime(2026, 3, 12, 10, 0, tzinfo=UTC)


def read(**volts: float) -> Readings:
    return Readings(Method.DIODE_RED_GROUND, tuple(PointReading(f"J1.{name}", value) for name, value in volts.items()),
                    "M1")


class BeforeAfterTest(unittest.TestCase):
    def said(self, *payloads: object) -> str:
        board, references = library().board(DUO), library().references(DUO, "M1")
        trail = tuple(Entry(f"e{i}", BEGUN + timedelta(minutes=i), "Ines", payload)  # type: ignore[arg-type]
                      for i, payload in enumerate((JobOpened("S-1", "Tarnwick Duo", DUO), *payloads)))
        self.judged = judged_readings(board, references, job_facts(trail))
        self.off = {p for p, r in self.judged.items() if was_off(board, references, r)}
        return before_after_words(board, references, self.judged, board.port_point_ids())

    def test_an_open_contact_that_reads_again_is_said(self) -> None:
        words = self.said(read(B5=inf, A5=0.585), Rework("replace", "J1"), read(B5=0.583, A5=0.584))
        self.assertEqual(words, "Before the repair B5 CC2 read OL and reads 0.583 V now.")
        self.assertEqual(self.off, {"J1.B5"})

    def test_nothing_is_said_where_nothing_was_abnormal_or_nothing_was_read_again(self) -> None:
        self.assertEqual(self.said(read(A5=0.585), Rework("replace", "J1"), read(A5=0.584)), "")
        self.assertEqual(self.said(read(B5=inf), Rework("replace", "J1")), "")
        self.assertEqual(self.said(), "")

    def test_more_than_three_are_counted(self) -> None:
        words = self.said(read(A5=inf, A6=inf, A7=inf, A8=inf, B5=inf), Rework("replace", "J1"),
                          read(A5=0.585, A6=0.648, A7=0.635, A8=0.59, B5=0.585))
        self.assertEqual(words.count("read OL"), 3)
        self.assertIn("and 2 more changed", words)

    def test_a_repair_that_changed_nothing_says_so_by_its_figures(self) -> None:
        self.assertIn("B5 CC2 read OL and reads OL now", self.said(read(B5=inf), Rework("replace", "J1"), read(B5=inf)))


if __name__ == "__main__":
    unittest.main()
