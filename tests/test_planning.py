"""The day: hours, dispatching, the exact plan for small days, risk, and what would save a promise."""

from __future__ import annotations

import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from itertools import pairwise, permutations
from zoneinfo import ZoneInfo

import numpy as np

from dextrum.core.planning.dispatch import dispatched, pieces_from
from dextrum.core.planning.exact import best_of_small, exact_plan, is_small
from dextrum.core.planning.hours import ShopWeek, clock_time, hours_from, must_be_done, parse_windows
from dextrum.core.planning.improve import RULES, by_rule, planned
from dextrum.core.planning.risk import AT_RISK, chances_late, longer_today, saving
from dextrum.core.planning.steps import BEYOND, Hours, JobToDo, Shop, Step

DAY = Hours(((0.0, 210.0), (255.0, 510.0), (1440.0, 1650.0), (1695.0, 1950.0)))
BARE = Shop({}, {})


def job(name: str, *steps: Step, due: float | None = None, **more: object) -> JobToDo:
    return JobToDo(name, name, steps, due=due, **more)  # type: ignore[arg-type]


def drawn_day(count: int, generator: np.random.Generator) -> list[JobToDo]:
    found = []
    for k in range(count):
        steps = [Step("x", float(generator.uniform(4, 40)), float(generator.choice([0, 0, 15, 60])),
                      str(generator.choice(["meter", "hot air", "dock"])),
                      ("dock",) if generator.random() < 0.2 else (), bool(generator.random() < 0.3))
                 for _ in range(int(generator.integers(1, 4)))]
        found.append(job(str(k), *steps, due=float(generator.uniform(30, 600)) if generator.random() < 0.8 else None,
                         ready=float(generator.choice([0, 0, 45])), arrived=k))
    return found


class PlanIsPossibleTest(unittest.TestCase):
    """What no plan may do, on days drawn at random."""

    def check(self, jobs: list[JobToDo], plan: object, hours: Hours) -> None:
        placed = plan.placed  # type: ignore[attr-defined]
        stretches = sorted(piece for p in placed for piece in p.pieces)
        for (_, end), (begin, _) in pairwise(stretches):
            self.assertLessEqual(end, begin + 1e-6, "one pair of hands")
        for p in placed:
            for begin, end in p.pieces:
                self.assertTrue(any(a - 1e-6 <= begin and end <= b + 1e-6 for a, b in hours.windows), "within hours")
            step = next(j for j in jobs if j.id == p.job).steps[p.index]
            self.assertAlmostEqual(sum(b - a for a, b in p.pieces), step.hands + p.changing, places=5)
            self.assertAlmostEqual(p.until, p.end + step.wait, places=6)
        for one in jobs:
            own = sorted((p for p in placed if p.job == one.id), key=lambda p: p.index)
            self.assertEqual([p.index for p in own], list(range(len(own))))
            if own:
                self.assertGreaterEqual(own[0].begin + 1e-6, one.ready)
            for before, after in pairwise(own):
                self.assertGreaterEqual(after.begin + 1e-6, before.until)

    def test_hands_are_one_pair_within_hours_and_waits_are_kept(self) -> None:
        for seed in range(30):
            generator = np.random.default_rng(seed)
            jobs = drawn_day(int(generator.integers(1, 12)), generator)
            with self.subTest(seed=seed):
                shop = Shop({"hot air": 6.0, "meter": 1.0}, {"dock": 1})
                self.check(jobs, planned(jobs, DAY, shop, generator, 30), DAY)

    def test_a_dock_is_held_by_one_unit_until_its_wait_is_over(self) -> None:
        jobs = [job(str(k), Step("prove", 10.0, 30.0, "dock", ("dock",))) for k in range(3)]
        plan = dispatched(jobs, ("0", "1", "2"), DAY, BARE)
        begins = sorted(p.begin for p in plan.placed)
        self.assertEqual(begins, [0.0, 40.0, 80.0])
        two = dispatched(jobs, ("0", "1", "2"), DAY, Shop({}, {"dock": 2}))
        self.assertEqual(sorted(p.begin for p in two.placed), [0.0, 10.0, 40.0])


    def test_what_two_steps_in_a_row_hold_is_kept_between_them(self) -> None:
        cell = ("cell",)
        jobs = [job("a", Step("x", 10.0, 60.0, "", cell), Step("y", 10.0, 0.0, "", cell)),
                job("b", Step("x", 10.0, 0.0, "", cell)), job("c", Step("x", 20.0))]
        plan = dispatched(jobs, ("a", "b", "c"), DAY, BARE)
        self.assertEqual([(p.job, p.begin) for p in plan.placed],
                         [("a", 0.0), ("c", 10.0), ("a", 70.0), ("b", 80.0)])

    def test_what_a_unit_has_from_before_is_not_given_to_another(self) -> None:
        cell = ("cell",)
        jobs = [job("b", Step("x", 10.0, 0.0, "", cell), due=15.0),
                job("a", Step("y", 10.0, 0.0, "", cell), has=cell, ready=30.0)]
        for plan in (dispatched(jobs, ("b", "a"), DAY, BARE), exact_plan(jobs, DAY, BARE)):
            assert plan is not None
            self.assertEqual([(p.job, p.begin) for p in plan.placed], [("a", 30.0), ("b", 40.0)])
        both = [replace(one, has=cell) for one in jobs]
        self.assertEqual(len(dispatched(both, ("b", "a"), DAY, BARE).placed), 2, "said of two units: neither waits")


class DispatchTest(unittest.TestCase):
    def test_another_job_is_worked_on_while_one_waits(self) -> None:
        jobs = [job("a", Step("x", 20.0, 60.0), Step("y", 10.0)), job("b", Step("x", 30.0))]
        plan = dispatched(jobs, ("a", "b"), DAY, BARE)
        self.assertEqual([(p.job, p.begin) for p in plan.placed], [("a", 0.0), ("b", 20.0), ("a", 80.0)])
        self.assertAlmostEqual(plan.idle, 30.0)

    def test_setting_up_is_paid_once_for_several_of_one_kind(self) -> None:
        jobs = [job(str(k), Step("x", 10.0, 0.0, kind)) for k, kind in enumerate(("hot air", "meter", "hot air"))]
        shop = Shop({"hot air": 6.0, "meter": 1.0}, {})
        together = dispatched(jobs, ("0", "2", "1"), DAY, shop)
        apart = dispatched(jobs, ("0", "1", "2"), DAY, shop)
        self.assertEqual(max(p.end for p in together.placed), 37.0)
        self.assertEqual(max(p.end for p in apart.placed), 43.0)

    def test_what_can_not_be_left_does_not_go_over_a_break_and_others_fit_before_it(self) -> None:
        jobs = [job("long", Step("x", 200.0)), job("heat", Step("heat", 40.0, whole=True)),
                job("small", Step("y", 8.0))]
        plan = dispatched(jobs, ("long", "heat", "small"), DAY, BARE)
        where = {p.job: p.pieces for p in plan.placed}
        self.assertEqual(where["heat"], ((255.0, 295.0),))
        self.assertEqual(where["small"], ((200.0, 208.0),))

    def test_what_can_be_left_goes_on_after_the_break(self) -> None:
        plan = dispatched([job("a", Step("x", 250.0))], ("a",), DAY, BARE)
        self.assertEqual(plan.placed[0].pieces, ((0.0, 210.0), (255.0, 295.0)))

    def test_a_pinned_job_is_begun_when_it_was_put(self) -> None:
        jobs = [job("a", Step("x", 50.0)), job("b", Step("x", 50.0)), job("p", Step("x", 20.0), pinned=60.0)]
        plan = dispatched(jobs, ("a", "b", "p"), DAY, BARE)
        at = {p.job: p.begin for p in plan.placed}
        self.assertEqual(at, {"a": 0.0, "p": 60.0, "b": 80.0})

    def test_what_is_under_way_is_not_moved(self) -> None:
        jobs = [job("late", Step("x", 30.0), due=10.0), job("now", Step("x", 30.0), under_way=True, ready=15.0)]
        plan = planned(jobs, DAY, BARE, np.random.default_rng(0))
        self.assertEqual(plan.placed[0].job, "now")
        self.assertEqual(plan.placed[0].begin, 0.0)

    def test_no_hours_no_jobs_and_jobs_without_steps(self) -> None:
        generator = np.random.default_rng(0)
        empty = planned([job("a", Step("x", 5.0), due=10.0)], Hours(()), BARE, generator)
        self.assertEqual(empty.placed, ())
        self.assertAlmostEqual(empty.late["a"], BEYOND - 10.0)
        self.assertEqual(dispatched([], (), DAY, BARE).placed, ())
        done = dispatched([job("a", due=5.0)], ("a",), DAY, BARE)
        self.assertEqual(done.lateness, 0.0)

    def test_work_beyond_the_horizon_is_said_and_not_lost(self) -> None:
        plan = dispatched([job("a", Step("x", 2000.0), due=100.0)], ("a",), DAY, BARE)
        self.assertEqual(plan.done["a"], BEYOND)
        self.assertEqual(plan.placed, ())

    def test_pieces_of_nothing(self) -> None:
        self.assertEqual(pieces_from(DAY, 220.0, 0.0, False)[0], ((255.0, 255.0),))


class ExactTest(unittest.TestCase):
    def test_it_is_the_least_of_all_orders_where_no_idling_helps(self) -> None:
        generator = np.random.default_rng(11)
        for _ in range(8):
            jobs = [job(str(k), Step("x", float(generator.integers(5, 40)), 0.0, whole=True),
                        due=float(generator.integers(10, 150))) for k in range(5)]
            exact = exact_plan(jobs, Hours(((0.0, 400.0),)), BARE)
            assert exact is not None
            least = min(dispatched(jobs, order, Hours(((0.0, 400.0),)), BARE).lateness
                        for order in permutations([j.id for j in jobs]))
            self.assertTrue(exact.exact)
            self.assertAlmostEqual(exact.lateness, least, places=3)

    def test_it_waits_for_an_urgent_job_when_that_is_better(self) -> None:
        jobs = [job("long", Step("x", 100.0, whole=True), due=300.0),
                job("soon", Step("x", 10.0), ready=5.0, due=20.0)]
        hours = Hours(((0.0, 400.0),))
        found = planned(jobs, hours, BARE, np.random.default_rng(0))
        self.assertEqual(best_of_small(jobs, hours, BARE, found, 2.0).lateness, 0.0)

    def test_it_keeps_to_windows_setups_waits_and_docks(self) -> None:
        generator = np.random.default_rng(4)
        shop = Shop({"hot air": 6.0}, {})
        checked = 0
        for seed in range(12):
            jobs = [j for j in drawn_day(3, np.random.default_rng(seed)) if j.steps]
            if not is_small(jobs, DAY):
                continue
            plan = exact_plan(jobs, DAY, shop)
            assert plan is not None
            PlanIsPossibleTest("check").check(jobs, plan, DAY)
            if not plan.exact:
                continue
            self.assertLessEqual(plan.lateness, planned(
                [JobToDo(j.id, j.name, tuple(Step(s.words, s.hands, s.wait, s.setup, s.holds, True) for s in j.steps),
                         j.ready, j.due, j.arrived) for j in jobs], DAY, shop, generator, 50).lateness + 0.01)
            checked += 1
        self.assertGreaterEqual(checked, 6)

    def test_what_is_under_way_goes_on_first_though_another_is_late(self) -> None:
        jobs = [job("late", Step("x", 30.0), due=30.0), job("now", Step("x", 20.0), under_way=True)]
        for hours in (DAY, Hours(((60.0, 300.0),))):
            plan = exact_plan(jobs, hours, Shop({"meter": 5.0}, {}))
            assert plan is not None
            self.assertEqual([p.job for p in plan.placed], ["now", "late"])
            self.assertEqual(plan.placed[0].begin, hours.windows[0][0])

    def test_a_dock_kept_over_two_steps_is_one_stretch(self) -> None:
        dock = ("dock",)
        jobs = [job("a", Step("x", 10.0, 40.0, "", dock), Step("y", 10.0, 0.0, "", dock), due=60.0),
                job("b", Step("x", 10.0, 0.0, "", dock), due=65.0)]
        plan = exact_plan(jobs, DAY, BARE)
        assert plan is not None
        self.assertTrue(plan.exact)
        self.assertAlmostEqual(plan.lateness, 5.0, places=3)
        self.assertAlmostEqual(dispatched(jobs, ("a", "b"), DAY, BARE).lateness, 5.0)

    def test_large_days_are_left_alone(self) -> None:
        self.assertFalse(is_small(drawn_day(20, np.random.default_rng(0)), DAY))
        self.assertFalse(is_small([], DAY))


class SearchTest(unittest.TestCase):
    def test_it_is_never_worse_than_any_rule_nor_than_the_plan_before(self) -> None:
        for seed in range(8):
            generator = np.random.default_rng(seed)
            jobs = drawn_day(15, generator)
            rules = min(dispatched(jobs, by_rule(jobs, rule), DAY, BARE).lateness for rule in RULES)
            plan = planned(jobs, DAY, BARE, generator, 60)
            self.assertLessEqual(plan.lateness, rules + 1e-6)
            self.assertLessEqual(planned(jobs, DAY, BARE, generator, 5, plan.order).lateness, plan.lateness + 1e-6)

    def test_it_stops_when_it_is_told(self) -> None:
        jobs = drawn_day(10, np.random.default_rng(1))
        asked: list[int] = []

        def stopped() -> bool:
            asked.append(1)
            return len(asked) > 3

        planned(jobs, DAY, BARE, np.random.default_rng(1), 10_000, (), stopped)
        self.assertEqual(len(asked), 4)


class RiskTest(unittest.TestCase):
    def test_a_promise_with_room_is_safe_and_one_without_is_at_risk(self) -> None:
        jobs = [job("safe", Step("x", 30.0), due=300.0), job("tight", Step("x", 60.0), due=95.0)]
        spread = {name: np.exp(0.4 * np.random.default_rng(2).normal(size=400)) for name in ("safe", "tight")}
        chances = chances_late(jobs, ("tight", "safe"), DAY, BARE, spread, np.random.default_rng(3), 400)
        self.assertLess(chances["safe"], 0.05)
        self.assertGreater(chances["tight"], 0.05)
        worse = chances_late(jobs, ("safe", "tight"), DAY, BARE, spread, np.random.default_rng(3), 400)
        self.assertGreater(worse["tight"], chances["tight"])

    def test_doing_it_first_is_offered_where_it_saves(self) -> None:
        jobs = [job("big", Step("x", 120.0)), job("small", Step("x", 30.0), due=60.0)]
        none: dict[str, np.ndarray] = {}
        chances = chances_late(jobs, ("big", "small"), DAY, BARE, none, np.random.default_rng(0))
        self.assertEqual(chances["small"], 1.0)
        found = saving(jobs, ("big", "small"), chances, "small", DAY, BARE, none, np.random.default_rng(0))
        assert found is not None
        self.assertEqual((found.kind, found.chance), ("first", 0.0))

    def test_staying_longer_is_offered_where_nothing_else_helps(self) -> None:
        hours = Hours(((0.0, 60.0), (1440.0, 1500.0)))
        jobs = [job("a", Step("x", 85.0), due=100.0)]
        found = saving(jobs, ("a",), {"a": 1.0}, "a", hours, BARE, {}, np.random.default_rng(0))
        assert found is not None
        self.assertEqual((found.kind, found.minutes), ("longer", 30.0))
        self.assertEqual(longer_today(hours, 30.0).windows, ((0.0, 90.0), (1440.0, 1500.0)))

    def test_nothing_is_offered_that_breaks_another_promise(self) -> None:
        jobs = [job("one", Step("x", 60.0), due=60.0), job("two", Step("x", 60.0), due=60.0)]
        chances = chances_late(jobs, ("one", "two"), DAY, BARE, {}, np.random.default_rng(0))
        self.assertGreaterEqual(chances["two"], AT_RISK)
        found = saving(jobs, ("one", "two"), chances, "two", DAY, BARE, {}, np.random.default_rng(0))
        assert found is not None
        self.assertEqual(found.kind, "none")
        self.assertIsNone(saving(jobs, ("one", "two"), chances, "two", DAY, BARE, {}, np.random.default_rng(0),
                                 lambda: True))


BERLIN = ZoneInfo("Europe/Berlin")


def by_berlin(wall: datetime) -> datetime:
    return wall.replace(tzinfo=BERLIN).astimezone(UTC)


class HoursTest(unittest.TestCase):
    def test_windows_begin_now_and_skip_days_off(self) -> None:
        week = ShopWeek(days_off=("2026-11-26",))
        now = datetime(2026, 11, 25, 12, 0, tzinfo=UTC).astimezone()
        hours = hours_from(week, now, lambda wall: wall.replace(tzinfo=UTC), days=3)
        shift = now.utcoffset() or timedelta(0)
        self.assertEqual(shift, timedelta(0), "tests run by UTC")
        self.assertEqual(hours.windows, ((0.0, 30.0), (75.0, 330.0), (45 * 60.0, 45 * 60 + 210.0),
                                         (45 * 60 + 255.0, 45 * 60 + 510.0)))

    def test_a_night_in_which_clocks_change_is_an_hour_longer(self) -> None:
        every = (("09:00", "12:00"),)
        week = ShopWeek(hours=(every,) * 7)
        now = datetime(2026, 10, 24, 7, 0, tzinfo=UTC)  # Saturday 9:00 there; clocks go back that night
        first, second = hours_from(week, now, by_berlin, days=2).windows
        self.assertEqual(first, (0.0, 180.0))
        self.assertEqual(second, (25 * 60.0, 25 * 60.0 + 180.0))
        spring = datetime(2026, 3, 28, 8, 0, tzinfo=UTC)
        self.assertEqual(hours_from(week, spring, by_berlin, days=2).windows[1], (23 * 60.0, 23 * 60.0 + 180.0))

    def test_a_week_without_hours_has_no_windows(self) -> None:
        week = ShopWeek(hours=((),) * 7)
        self.assertFalse(hours_from(week, datetime(2026, 11, 25, tzinfo=UTC)).windows)

    def test_the_last_post_before_a_promise_counts(self) -> None:
        def utc(wall: datetime) -> datetime:
            return wall.replace(tzinfo=UTC)

        week = ShopWeek(last_post="16:30", post_days=1)
        monday = datetime(2026, 11, 30, 12, 0)
        self.assertEqual(must_be_done(monday, True, week, utc), datetime(2026, 11, 27, 16, 30, tzinfo=UTC))
        self.assertEqual(must_be_done(monday, False, week, utc), datetime(2026, 11, 30, 12, 0, tzinfo=UTC))
        no_post = ShopWeek(last_post="")
        self.assertEqual(must_be_done(monday, True, no_post, utc), datetime(2026, 11, 30, 12, 0, tzinfo=UTC))

    def test_windows_are_typed_as_people_write_them(self) -> None:
        self.assertEqual(parse_windows("9-12:30, 13.15\u201317:30"), (("09:00", "12:30"), ("13:15", "17:30")))
        self.assertEqual(parse_windows("  "), ())
        for wrong in ("9", "9-25", "x-y", "9:70-10"):
            with self.subTest(wrong), self.assertRaises(ValueError):
                parse_windows(wrong)

    def test_nonsense_hours_are_refused(self) -> None:
        for hours in (((),) * 6, ((("12:00", "09:00"),),) + ((),) * 6,
                      ((("09:00", "12:00"), ("11:00", "13:00")),) + ((),) * 6):
            with self.subTest(hours), self.assertRaises(ValueError):
                ShopWeek(hours=hours)
        with self.assertRaises(ValueError):
            ShopWeek(days_off=("30.11.2026",))
        with self.assertRaises(ValueError):
            clock_time("noon")

    def test_steps_of_nonsense_are_refused(self) -> None:
        for minutes in (-1.0, float("nan"), float("inf")):
            with self.subTest(minutes), self.assertRaises(ValueError):
                Step("x", minutes)


if __name__ == "__main__":
    unittest.main()
