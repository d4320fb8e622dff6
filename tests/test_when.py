"""Dates as people type them, and in the one form in which they are shown."""

from __future__ import annotations

import random
import unittest
from datetime import UTC, date, datetime, timedelta

from dextrum.app.job.when_typed import parse_when
from dextrum.core.when import day_words, moment_words
from dextrum.errors import EntryRefusedError

NOW = datetime(2026, 3, 12, 13, 10, 40, tzinfo=UTC)  # a Thursday
TODAY = NOW.date()


class WordsTest(unittest.TestCase):
    def test_near_days_by_name_others_by_day_and_month_in_letters(self) -> None:
        for day, words in ((date(2026, 3, 12), "today"), (date(2026, 3, 13), "tomorrow"),
                           (date(2026, 3, 11), "yesterday"), (date(2026, 3, 16), "Mon 16 Mar"),
                           (date(2027, 1, 2), "Sat 2 Jan 2027")):
            self.assertEqual(day_words(day, TODAY), words)
        self.assertEqual(day_words(date(2026, 3, 16)), "Mon 16 Mar 2026")
        self.assertEqual(moment_words(datetime(2026, 3, 13, 9, 0), TODAY), "tomorrow 09:00")


class TypedTest(unittest.TestCase):
    def test_what_people_type(self) -> None:
        for text, written in (
                ("Fri 17:00", "2026-03-13T17:00"), ("fri", "2026-03-13"), ("Thursday", "2026-03-19"),
                ("in 2 days", "2026-03-14"), ("+90 min", "2026-03-12T14:40"), ("+90", "2026-03-12T14:40"),
                ("in 3 h", "2026-03-12T16:10"), ("in 1 week", "2026-03-19"), ("16:00", "2026-03-12T16:00"),
                ("9:30", "2026-03-13T09:30"), ("tomorrow 9:30", "2026-03-13T09:30"), ("today at 16:00",
                                                                                    "2026-03-12T16:00"),
                ("12 Mar", "2026-03-12"), ("28 Nov 2026 08:00", "2026-11-28T08:00"), ("2 January", "2027-01-02"),
                ("31.12.2026", "2026-12-31"), ("31.12. 16:00", "2026-12-31T16:00"), ("2026-05-30 16:00",
                                                                                   "2026-05-30T16:00"),
                ("2026-05-30T16:00", "2026-05-30T16:00"), ("2026-05-30", "2026-05-30"), ("1 Mar", "2026-03-01")):
            with self.subTest(text):
                self.assertEqual(parse_when(text, NOW).as_written(), written)

    def test_what_means_nothing_or_two_things_is_refused_with_examples(self) -> None:
        for text in ("", " ", "soon", "3/12", "03-12", "2026-13-40", "30 Feb", "25:00", "12:75", "in many days",
                     "in 99999 weeks", "1 Jan 0001", "31.13.2026", "Fri 17", "\u0663 days", "in -2 days"):
            with self.subTest(text), self.assertRaises(EntryRefusedError) as refused:
                parse_when(text, NOW)
            self.assertIn("Fri 17:00", refused.exception.next_step)

    def test_what_is_shown_is_understood_again(self) -> None:
        draw = random.Random(3)
        for _ in range(500):
            at = NOW.replace(tzinfo=None) + timedelta(minutes=draw.randrange(20, 500_000))
            shown = moment_words(at, TODAY)
            self.assertEqual(parse_when(shown, NOW).at, at.replace(second=0), shown)

    def test_no_text_ends_otherwise_than_in_a_date_or_a_refusal(self) -> None:
        draw = random.Random(4)
        for _ in range(3000):
            text = "".join(draw.choice("0123456789 .:-/+inMarFdytomw\u00b2\n") for _ in range(draw.randrange(1, 14)))
            try:
                parse_when(text, NOW).as_written()
            except EntryRefusedError:
                continue


if __name__ == "__main__":
    unittest.main()
