"""How a job goes on: the quick policy, the whole advice, and the plan of the day made of them."""

from __future__ import annotations

import tempfile
import unittest
from datetime import datetime, timedelta
from decimal import Decimal
from itertools import count
from pathlib import Path
from unittest import mock

import numpy as np

from dextrum.app.advising.assess import assess
from dextrum.app.bench.demo_ready import kept_trails, moved_to
from dextrum.app.day import day_plan
from dextrum.app.day.day_plan import DayBook
from dextrum.app.day.steps_of_job import spread_of, steps_of, waits_for
from dextrum.app.evaluation.outlooks import STAGES, outlook_results
from dextrum.app.evaluation.weeks import POLICIES, weeks_results, worked_week
from dextrum.app.outlook.full_play import play_on, rest_of_plays
from dextrum.app.outlook.outlook import outlook_of, outlook_of_trail
from dextrum.app.outlook.outlooks import Outlooks
from dextrum.core.outlook.rest_of_job import nothing_left, span
from dextrum.core.planning.hours import ShopWeek
from dextrum.core.planning.risk import AT_RISK
from dextrum.core.trail import Entry, Intake, JobOpened, LotSuspect, Outcome, Payload, Proof, Quote, Rework, Wait
from dextrum.store.entries import new_entry
from dextrum.store.jobs import JobStore
from dextrum.store.shop_settings import set_day_pins, set_shop_week
from dextrum.world.shop_week import week_of_units
from tests.support import DEMO_DAY, DUO, LONG, SLIVER, START, duo_advice, library_of


def opened(*payloads: Payload, pack: str = DUO, serial: str = "SLS-1") -> tuple[Entry, ...]:
    return tuple(new_entry(p, "Ines", START + timedelta(minutes=k)) for k, p in enumerate(
        (JobOpened(serial, "Tarnwick Duo", pack), *payloads)))


class QuickPolicyTest(unittest.TestCase):
    def test_the_same_job_and_seed_give_the_same_plays(self) -> None:
        advice, trail = duo_advice(), opened(Intake("dead", ("no_charge",)))
        first, again = (outlook_of_trail(advice, trail)[1] for _ in range(2))
        np.testing.assert_array_equal(first.hands, again.hands)
        self.assertEqual(first.plays, 2000)
        self.assertTrue((first.hands >= 0).all() and np.isfinite(first.hands).all())

    def test_less_is_left_once_more_is_done(self) -> None:
        advice = duo_advice()
        start = opened(Intake("dead", ("no_charge",)))
        fixed = opened(Intake("dead", ("no_charge",)), Rework("replace", "F1"),
                       *(Proof(c.id, True) for c in advice.model.board.checks))
        before, after = (span(outlook_of_trail(advice, t)[1].hands)[1] for t in (start, fixed))
        self.assertLess(after, 0.5 * before)

    def test_chances_of_parts_are_chances_and_the_likeliest_comes_first(self) -> None:
        rest = outlook_of_trail(duo_advice(), opened(Intake("dead", ("no_charge",))))[1]
        chances = list(rest.chance_of_part().values())
        self.assertEqual(chances, sorted(chances, reverse=True))
        self.assertTrue(all(0.0 < c <= 1.0 for c in chances))
        self.assertTrue((rest.spent_on_parts >= 0).all())

    def test_a_closed_job_has_nothing_left(self) -> None:
        rest = outlook_of_trail(duo_advice(), opened(Outcome("donor")))[1]
        self.assertEqual((float(rest.hands.max()), rest.chance_good), (0.0, 0.0))
        self.assertEqual(nothing_left(0).chance_good, 0.0)
        self.assertEqual(span(np.zeros(0)), (0.0, 0.0, 0.0))

    def test_a_pack_of_one_port_is_played_too(self) -> None:
        advice = library_of().advice_model(SLIVER, "M1")
        rest = outlook_of_trail(advice, opened(Intake("plug loose"), pack=SLIVER))[1]
        self.assertGreater(span(rest.hands)[1], 0.0)

    def test_a_part_of_a_bad_lot_becomes_a_suspect(self) -> None:
        advice = duo_advice()
        fitted = opened(Intake("dead", ("no_charge",)), Rework("replace", "F1", lot="L9"))
        told = (*fitted, new_entry(LotSuspect("F1", "L9", 0.5), "Ines", START + timedelta(hours=1)))

        def chance(trail: tuple[Entry, ...]) -> float:
            return assess(advice, trail, explain=False).chance_by_part.get("F1", 0.0)

        self.assertLess(chance(fitted), 0.3)
        self.assertGreater(chance(told), 0.3)


class WholeAdviceTest(unittest.TestCase):
    def test_plays_go_to_an_end_and_are_near_the_quick_ones(self) -> None:
        advice, trail = duo_advice(), opened(Intake("dead", ("no_charge",)))
        done = assess(advice, trail, explain=False)
        generator = np.random.default_rng(4)
        plays = [play_on(advice, trail, done, generator) for _ in range(40 if LONG else 5)]
        rest = rest_of_plays(advice, [p for p in plays if p is not None])
        self.assertTrue(rest.full)
        self.assertTrue(all(p is not None and p.ended != "never" for p in plays))
        quick = outlook_of(advice, done)
        self.assertLess(abs(np.log(float(rest.hands.mean()) / float(quick.hands.mean()))), np.log(2.0))
        self.assertEqual(trail, trail[:2], "the job itself is not touched")

    def test_it_stops_when_it_is_told(self) -> None:
        advice, trail = duo_advice(), opened(Intake("dead", ("no_charge",)))
        done = assess(advice, trail, explain=False)
        self.assertIsNone(play_on(advice, trail, done, np.random.default_rng(0), lambda: True))


class HeldTest(unittest.TestCase):
    def test_forecasts_hold_about_four_jobs_in_five(self) -> None:
        jobs = 120 if LONG else 4
        for result in outlook_results(duo_advice(), jobs, 555):
            with self.subTest(result.stage):
                self.assertIn(result.stage, STAGES)
                if LONG:
                    self.assertTrue(0.7 <= result.held <= 0.9, result)
                self.assertAlmostEqual(result.held + result.below + result.above, 1.0)
                self.assertGreater(result.seconds, 0.0)


class DayTest(unittest.TestCase):
    def setUp(self) -> None:
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.store = JobStore(Path(folder.name) / "jobs.sqlite")
        self.addCleanup(self.store.close)
        self.library = library_of()
        self.book = DayBook(self.store, Outlooks(self.store, self.library, lambda: "M1"))
        set_shop_week(self.store, ShopWeek(hours=((("09:00", "12:30"), ("13:15", "17:30")),) * 7))

    def add(self, *payloads: Payload, serial: str = "SLS-1", pack: str = DUO) -> str:
        return self.store.add_trail(opened(*payloads, serial=serial, pack=pack))

    def test_an_empty_bench_and_a_day_without_hours(self) -> None:
        day = self.book.plan(START)
        self.assertEqual((day.items, day.promises, day.waiting), ((), (), ()))
        self.add(Intake("dead", ("no_charge",), due="2026-03-12T16:00"))
        set_shop_week(self.store, ShopWeek(hours=((),) * 7))
        day = self.book.plan(START)
        self.assertEqual((day.items, day.windows), ((), ()))
        self.assertEqual(len(day.at_risk), 1)

    def test_jobs_of_the_demo_are_planned_and_waits_are_kept_apart(self) -> None:
        for trail in moved_to(kept_trails()[:6], DEMO_DAY):
            self.store.add_trail(trail)
        day = self.book.plan(DEMO_DAY, full=True)
        self.assertTrue(day.items)
        ends = [piece for item in day.items for piece in item.pieces]
        for (_, end), (begin, _) in zip(sorted(ends), sorted(ends)[1:], strict=False):
            self.assertLessEqual(end, begin + timedelta(seconds=1))
        self.assertTrue(all(0.0 <= p.chance_late <= 1.0 for p in day.promises))
        self.assertEqual(len(set(day.rank)), len(day.rank))

    def test_a_job_without_a_pack_is_looked_at_and_said(self) -> None:
        self.add(serial="X-1", pack="no-such-pack")
        day = self.book.plan(START)
        self.assertEqual((day.without_pack, [i.words for i in day.items]), (("X-1",), ["Look at it: no board pack"]))

    def test_who_waits_for_an_answer_is_not_planned_but_listed(self) -> None:
        self.add(Intake("dead", ("no_charge",)), Quote(Decimal(49)))
        self.add(Wait("Port in the post"), serial="SLS-2")
        day = self.book.plan(START)
        self.assertEqual(day.items, ())
        self.assertEqual({w.serial: w.why for w in day.waiting},
                         {"SLS-1": "owner's answer", "SLS-2": "Port in the post"})

    def test_a_wait_with_a_time_is_planned_after_it(self) -> None:
        self.add(Intake("dead", ("no_charge",)), Wait("Port in the post", "2026-03-12T11:00"))
        day = self.book.plan(START)
        self.assertGreaterEqual(day.items[0].begin, datetime(2026, 3, 12, 11, 0).astimezone())
        self.assertEqual(day.waiting[0].until, datetime(2026, 3, 12, 11, 0).astimezone())

    def test_a_pinned_job_begins_where_it_was_put(self) -> None:
        job = self.add(Intake("dead", ("no_charge",)))
        self.add(Intake("dead", ("no_charge",)), serial="SLS-2")
        set_day_pins(self.store, {job: "2026-03-12T14:00"})
        first = next(i for i in self.book.plan(START).items if i.job_id == job)
        self.assertTrue(first.pinned)
        self.assertEqual(first.begin, datetime(2026, 3, 12, 14, 0).astimezone())

    def test_what_hands_are_on_stays_first(self) -> None:
        self.add(Intake("dead", ("no_charge",), due="2026-03-12T09:30"))
        job = self.add(Intake("dead", ("no_charge",)), serial="SLS-2")
        self.assertEqual(self.book.plan(START + timedelta(minutes=5), job).items[0].job_id, job)

    def test_steps_and_spreads(self) -> None:
        outlooks = Outlooks(self.store, self.library, lambda: "M1")
        self.add(Intake("dead", ("no_charge",)))
        job = outlooks.of_job(self.store.shelf()[0], START)
        steps = steps_of(job)
        self.assertIs(outlooks.of_job(self.store.shelf()[0], START), job)
        self.assertAlmostEqual(sum(s.hands for s in steps), span(job.rest.hands)[1], delta=5.0)  # type: ignore[union-attr]
        self.assertAlmostEqual(float(np.median(spread_of(job))), 1.0, delta=0.1)
        self.assertEqual(waits_for(job), "")


    def test_on_a_slow_machine_it_is_known_what_saves_the_promise_most_at_risk(self) -> None:
        for trail in moved_to(kept_trails(), DEMO_DAY):
            self.store.add_trail(trail)
        with mock.patch.object(day_plan, "monotonic", side_effect=count(0.0, 10.0)):
            slow = self.book.plan(DEMO_DAY, full=True)
        risky = [promise for promise in slow.promises if promise.chance_late >= AT_RISK]
        self.assertGreater(len(risky), 1)
        self.assertEqual([promise.saving is not None for promise in risky], [True, *[False] * (len(risky) - 1)])


class WeekTest(unittest.TestCase):
    def test_the_plan_is_later_by_less_than_any_order_kept_in_the_head(self) -> None:
        weeks = 60 if LONG else 4
        found = {result.policy: result for result in weeks_results(weeks, 17)}
        self.assertEqual(set(found), set(POLICIES))
        if LONG:
            self.assertLess(found["plan"].late_minutes, found["earliest promise"].late_minutes)
        self.assertLess(found["plan"].late_minutes, found["as they came in"].late_minutes)

    def test_every_unit_is_done_or_late_to_the_end(self) -> None:
        units = week_of_units(np.random.default_rng(1))
        late, broken, idle, days = worked_week(units, "earliest promise", 1)
        self.assertGreaterEqual(late, 0.0)
        self.assertLessEqual(broken, len(units))
        self.assertTrue(idle >= 0.0 and days > 0.0)
        self.assertEqual(worked_week((), "plan", 1), (0.0, 0, 0.0, 0.0))



if __name__ == "__main__":
    unittest.main()
