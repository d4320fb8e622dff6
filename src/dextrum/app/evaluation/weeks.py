"""Weeks of a shop worked through by a plan that is made anew whenever hands are free, and by orders that people keep in
their heads, on the same units: minutes late, promises broken, idle hands."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass

import numpy as np

from dextrum.core.assumptions.shop import SETUP_MINUTES
from dextrum.core.planning.dispatch import dispatched
from dextrum.core.planning.exact import exact_plan, is_small
from dextrum.core.planning.improve import by_rule, planned
from dextrum.core.planning.steps import DayPlan, Hours, JobToDo, Shop, Step
from dextrum.world.shop_week import CHANGING, SAID_SPREAD, Arriving, week_of_units

SHOP = Shop(SETUP_MINUTES, {"charging shelf": 4})
"""As the plan assumes it; what changing over takes in truth is the world's."""
WEEK_HOURS = tuple((day * 1440.0 + begin, day * 1440.0 + end) for week in range(2) for day in range(
    7 * week, 7 * week + 5) for begin, end in ((540.0, 750.0), (795.0, 1050.0)))
"""Two weeks of nine to half past five with a break, in minutes from Monday: what isn't done in the first spills
over."""
TRIES = 60
POLICIES = ("as they came in", "earliest promise", "plan")
STEPS = (("measure", "meter", (), False), ("repair", "hot air", (), True),
         ("prove", "dock", ("charging shelf",), False))


@dataclass(frozen=True)
class WeeksResult:
    """Means of a week. late_minutes: past all promises; late_jobs: promises broken; idle: hands' minutes within hours
    in which units were open and nothing could be done; done_days: days from coming in to being done."""

    policy: str
    weeks: int
    units: float
    late_minutes: float
    late_jobs: float
    idle: float
    done_days: float

    def as_json(self) -> dict[str, object]:
        return asdict(self)


@dataclass
class _Open:
    unit: Arriving
    number: int
    step: int = 0
    ready: float = 0.0


def _to_do(open_units: Sequence[_Open], now: float) -> list[JobToDo]:
    found = []
    for one in open_units:
        steps = tuple(Step(STEPS[k][0], one.unit.said[k], one.unit.waits[k], STEPS[k][1], STEPS[k][2], STEPS[k][3])
                      for k in range(one.step, 3))
        found.append(JobToDo(str(one.number), str(one.number), steps, max(0.0, one.ready - now), one.unit.due - now,
                             one.number))
    return found


def _chosen(policy: str, jobs: list[JobToDo], hours: Hours, seed: int) -> DayPlan:
    if policy == "plan":
        return planned(jobs, hours, SHOP, np.random.default_rng(seed), TRIES)
    return dispatched(jobs, by_rule(jobs, policy), hours, SHOP)


def worked_week(units: Sequence[Arriving], policy: str, seed: int) -> tuple[float, int, float, float]:
    """Minutes late, promises broken, idle minutes and mean days to being done, of one week worked by a policy."""
    now, setup, idle = WEEK_HOURS[0][0], "", 0.0
    waiting, here = list(enumerate(units)), list[_Open]()
    done: dict[int, float] = {}
    while waiting or here:
        while waiting and waiting[0][1].at <= now:
            number, unit = waiting.pop(0)
            here.append(_Open(unit, number, 0, unit.at))
        windows = tuple((max(begin, now) - now, end - now) for begin, end in WEEK_HOURS if end > now + 1e-9)
        if not windows:
            break
        if not here:
            now = max(waiting[0][1].at, now)
            continue
        plan = _chosen(policy, _to_do(here, now), Hours(windows), seed)
        first = min(plan.placed, key=lambda p: p.begin) if plan.placed else None
        if first is None:
            break
        coming = waiting[0][1].at - now if waiting else np.inf
        if first.begin > 1e-6:
            on = min(first.begin, coming) if coming > 1e-6 else first.begin
            idle += sum(max(0.0, min(end, on) - max(begin, 0.0)) for begin, end in windows)
            now += on
            continue
        one = next(o for o in here if str(o.number) == first.job)
        changing = CHANGING[STEPS[one.step][1]] * one.unit.changing[one.step] \
            if STEPS[one.step][1] != setup else 0.0
        setup = STEPS[one.step][1]
        left, end = one.unit.true[one.step] + changing, now
        for begin, until in windows:
            taken = min(left, until - begin)
            left, end = left - taken, now + begin + taken
            if left <= 1e-9:
                break
        one.ready = end + one.unit.waits[one.step]
        one.step += 1
        if one.step == 3:
            done[one.number] = one.ready
            here.remove(one)
        now = end
    last = WEEK_HOURS[-1][1]
    late = [max(0.0, done.get(k, last) - unit.due) for k, unit in enumerate(units)]
    days = [(done.get(k, last) - unit.at) / 1440.0 for k, unit in enumerate(units)]
    return sum(late), sum(one > 0.0 for one in late), idle, float(np.mean(days)) if days else 0.0


def weeks_results(weeks: int, seed: int, progress: Callable[[int, int], None] = lambda _done, _of: None,
                  spread: float = SAID_SPREAD) -> tuple[WeeksResult, ...]:
    """The same weeks by every policy. spread: how far off what was expected of hands is. Some seconds a week."""
    found: dict[str, list[tuple[float, ...]]] = {policy: [] for policy in POLICIES}
    for week in range(weeks):
        units = week_of_units(np.random.default_rng((seed, week)), spread)
        for policy in POLICIES:
            found[policy].append((float(len(units)), *worked_week(units, policy, week)))
        progress(week + 1, weeks)
    return tuple(WeeksResult(policy, weeks, *(float(v) for v in np.array(rows).mean(axis=0)))
                 for policy, rows in found.items())


def gap_to_exact(days: int, seed: int) -> tuple[int, float, float]:
    """Of small days drawn alike: how many the solver settled, and the mean and the worst lateness of the plan beyond
    the least there is, in minutes."""
    gaps = []
    for day in range(days):
        generator = np.random.default_rng((seed, 7, day))
        units = week_of_units(generator)[:4]
        here = [_Open(unit, k, int(generator.integers(1, 3))) for k, unit in enumerate(units)]
        jobs = [JobToDo(job.id, job.name, job.steps, 0.0, float(generator.uniform(60.0, 400.0)), job.arrived)
                for job in _to_do(here, 540.0)]
        hours = Hours(tuple((begin - 540.0, end - 540.0) for begin, end in WEEK_HOURS[:4]))
        if not is_small(jobs, hours):
            continue
        exact = exact_plan(jobs, hours, SHOP)
        if exact is not None and exact.exact:
            gaps.append(max(0.0, planned(jobs, hours, SHOP, generator, 200).lateness - exact.lateness))
    return len(gaps), float(np.mean(gaps)) if gaps else 0.0, float(max(gaps, default=0.0))
