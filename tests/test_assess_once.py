"""A trail that was weighed a moment ago isn't weighed again, and nothing else is taken for it."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, datetime
from unittest import mock

from dextrum.app.advising import assess as room
from dextrum.app.advising.assess import assess, assess_once
from dextrum.core.advice.advice_model import MOST_WHOLE
from dextrum.core.trail import Intake, JobOpened, Look, Photo, Touched, Wait
from tests.support import duo_advice, trail_of

NOW = datetime(2026, 3, 12, 8, 0, tzinfo=UTC)
OPENED = JobOpened("T-1", "Tarnwick Duo", "tarnwick-duo-c")
BEGUN = trail_of(OPENED, Intake("x", ("no_charge",)), Look(("clean",)))


class AssessOnceTest(unittest.TestCase):
    def setUp(self) -> None:
        self.model = duo_advice()
        self.model.memory.whole.clear()
        counted = mock.patch.object(room, "assess", wraps=assess)
        self.weighed = counted.start()
        self.addCleanup(counted.stop)

    def test_the_same_trail_is_weighed_once(self) -> None:
        first = assess_once(self.model, BEGUN, NOW)
        self.assertIs(first, assess_once(self.model, (*BEGUN[:1], *BEGUN[1:]), NOW))
        self.assertEqual(1, self.weighed.call_count)

    def test_it_says_what_assess_says(self) -> None:
        once, anew = assess_once(self.model, BEGUN, NOW), assess(self.model, BEGUN, now=NOW)
        self.assertEqual(anew.advice.ranked, once.advice.ranked)
        self.assertEqual(anew.reasons, once.reasons)

    def test_another_entry_under_the_same_name_is_another_trail(self) -> None:
        assess_once(self.model, BEGUN, NOW)
        other = (*BEGUN[:-1], replace(BEGUN[-1], payload=Look(("burnt",))))
        self.assertNotEqual("", assess_once(self.model, other, NOW).advice.next.kind)
        self.assertEqual(2, self.weighed.call_count)

    def test_a_wait_that_has_come_to_its_end_is_weighed_anew(self) -> None:
        waiting = (*BEGUN, *trail_of(Wait("Cell coming back", "2026-03-12T14:20")))
        before = assess_once(self.model, waiting, NOW)
        after = assess_once(self.model, waiting, NOW.replace(day=14))
        self.assertFalse(before.facts.wait_is_over)
        self.assertTrue(after.facts.wait_is_over)

    def test_other_rates_are_another_model(self) -> None:
        from dextrum.core.advice.recommend import at_rates

        assess_once(self.model, BEGUN, NOW)
        dearer = at_rates(self.model, replace(self.model.rates, labour_per_minute=3.0), {})
        assess_once(dearer, BEGUN, NOW)
        self.assertEqual(2, self.weighed.call_count)

    def test_a_touch_or_photo_is_among_the_facts_and_nothing_is_weighed_for_it(self) -> None:
        before = assess_once(self.model, BEGUN, NOW)
        touch, photo = trail_of(Touched("C14.1", "C15.1", True), Photo("0" * 64, 640, 480))
        after = assess_once(self.model, (*BEGUN, touch), NOW)
        self.assertIs(after.posterior, before.posterior)
        self.assertEqual([t.one for t in after.facts.touched], ["C14.1"])
        both = assess_once(self.model, (*BEGUN, touch, photo), NOW)
        self.assertEqual((len(both.facts.touched), len(both.facts.photos)), (1, 1))
        self.assertEqual(assess_once(self.model, BEGUN, NOW).facts, before.facts)
        self.assertEqual(1, self.weighed.call_count)

    def test_a_touch_that_ends_a_wait_is_weighed(self) -> None:
        waiting = (*BEGUN, *trail_of(Wait("Is the draw growing?", "2026-03-12T14:20")))
        self.assertEqual(assess_once(self.model, waiting, NOW).advice.next.kind, "wait")
        ended = (*waiting, *trail_of(Touched("C14.1", "C15.1", True)))
        self.assertEqual(assess_once(self.model, ended, NOW).advice.next,
                         assess_once(self.model, BEGUN, NOW).advice.next)

    def test_the_oldest_is_forgotten(self) -> None:
        units = [tuple(replace(entry, id=f"{unit} {entry.id}") for entry in BEGUN) for unit in range(MOST_WHOLE + 1)]
        for trail in units:
            assess_once(self.model, trail, NOW)
        self.assertEqual(MOST_WHOLE, len(self.model.memory.whole))
        assess_once(self.model, units[0], NOW)
        self.assertEqual(MOST_WHOLE + 2, self.weighed.call_count)


if __name__ == "__main__":
    unittest.main()
