"""The plan of the day over all open jobs: what hands do when, which promise is at risk, what would save it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta
from time import monotonic

import numpy as np

from dextrum.app.day.steps_of_job import KNOWN_GOOD, PLACES, spread_of, steps_of, waits_for, waits_until
from dextrum.app.outlook.outlooks import JobOutlook, Outlooks
from dextrum.core.assumptions.shop import SETUP_MINUTES
from dextrum.core.planning.exact import best_of_small
from dextrum.core.planning.hours import ShopWeek, bench_clock, hours_from, minutes_until, must_be_done
from dextrum.core.planning.improve import planned
from dextrum.core.planning.risk import AT_RISK, DRAWS, Saving, chances_late, saving
from dextrum.core.planning.steps import BEYOND, DayPlan, JobToDo, Placed, Shop
from dextrum.core.trail import local_time
from dextrum.store.jobs import JobStore
from dextrum.store.shop_settings import day_pins, shop_week

MOST_JOBS = 200
UNDER_WAY_MINUTES = 25.0
"""Since the last entry of the job in view, for which it counts as under way: as long as a stretch of work may be."""
QUICK_STEPS, FULL_STEPS, MOST_TRIES = 600, 20_000, 1_000
"""Steps placed in all orders that are tried, after an entry and once nothing is recorded; and orders tried at most. A
count and no time, so that the same jobs give the same plan; 60 jobs take some 300 ms."""
QUICK_SECONDS, FULL_SECONDS = 0.03, 0.45
"""After which the search ends on a slow machine all the same."""
QUICK_DRAWS = 10
"""Times the day is played for the risk right after an entry; while nothing is recorded it is `DRAWS`."""
ALL_SECONDS = 0.7
"""Of all that is worked out for a full plan; what would save the promises less at risk may then not be known."""
EXACT_SECONDS = 1.0
MOST_SAVED = 5
"""Promises at risk for which it is worked out what would save them."""


@dataclass(frozen=True)
class RibbonItem:
    """One step in the day. begin, end, until: UTC. pieces: of hands, UTC. late: minutes past the promise, of the job's
    last step."""

    job_id: str
    serial: str
    words: str
    begin: datetime
    end: datetime
    until: datetime
    pieces: tuple[tuple[datetime, datetime], ...]
    setup: str
    changing: float
    late: float
    pinned: bool
    under_way: bool


@dataclass(frozen=True)
class WaitingJob:
    """A job hands can't go on with. until: UTC, None where nobody knows."""

    job_id: str
    serial: str
    why: str
    until: datetime | None


@dataclass(frozen=True)
class Promise:
    """Of one job: when it must be done (UTC, the post before it counted), when it will be, the chance that it is late,
    and what would save it where it is at risk."""

    job_id: str
    serial: str
    due: datetime
    done: datetime | None
    chance_late: float
    saving: Saving | None
    saved_by: str = ""


@dataclass(frozen=True)
class DayPlanned:
    """windows: of hands' hours, UTC. order: of job ids, to begin the next search with. exact: proved least lateness.
    seconds: that the planning took."""

    at: datetime
    items: tuple[RibbonItem, ...]
    waiting: tuple[WaitingJob, ...]
    promises: tuple[Promise, ...]
    windows: tuple[tuple[datetime, datetime], ...]
    order: tuple[str, ...]
    exact: bool
    idle: float
    rank: tuple[str, ...]
    without_pack: tuple[str, ...]
    seconds: float

    @property
    def at_risk(self) -> tuple[Promise, ...]:
        return tuple(p for p in self.promises if p.chance_late >= AT_RISK)


class DayBook:
    """Keeps the outlooks and the last order of a bench. Works off the window's thread, one call at a time."""

    def __init__(self, store: JobStore, outlooks: Outlooks) -> None:
        self._store, self.outlooks = store, outlooks
        self._order: tuple[str, ...] = ()

    def plan(self, now: datetime, in_view: str = "", full: bool = False,
             stopped: Callable[[], bool] = lambda: False) -> DayPlanned:
        """The day from now on. now: with a zone; in_view: id of the job that hands are on, if any. full: search as long
        as that may help, and settle a small day exactly. Raises StoreError."""
        rows = self._store.shelf(most=MOST_JOBS)
        marks = self._store.last_positions([row.id for row in rows])
        known = []
        for row in rows:
            if stopped():
                break
            known.append(self.outlooks.of_job(row, now, marks.get(row.id, -1)))
        began = monotonic()
        found = _planned(self._store, known, now, in_view, self._order, full, stopped)
        self._order = found[0].order
        return _as_day(found, now, monotonic() - began)


_Found = tuple[DayPlan, list[JobToDo], dict[str, JobOutlook], list[WaitingJob], dict[str, float],
               dict[str, tuple[datetime, Saving | None]], tuple[tuple[float, float], ...]]


def to_do(job: JobOutlook, now: datetime, week: ShopWeek, arrived: int, pins: dict[str, str],
          under_way: bool) -> JobToDo:
    """A job as the plan sees it."""
    until = waits_until(job)
    pinned_at = local_time(pins.get(job.row.id, ""))
    due = local_time(job.row.due)
    posted = job.facts.intake is not None and job.facts.intake.posted
    by = None
    if due is not None:
        by = minutes_until(must_be_done(_end_of_day(due, job.row.due, week), posted, week), now)
    pinned = minutes_until(bench_clock(pinned_at), now) if pinned_at is not None else None
    return JobToDo(job.row.id, job.row.serial, steps_of(job),
                   0.0 if until is None else max(0.0, minutes_until(bench_clock(until), now)), by, arrived,
                   pinned=None if pinned is None or pinned < -UNDER_WAY_MINUTES else max(0.0, pinned),
                   under_way=under_way, has=(KNOWN_GOOD,) if job.facts.cell == "known_good" else ())


def _end_of_day(due: datetime, text: str, week: ShopWeek) -> datetime:
    """A promise of a day alone is kept by the end of that day's hours."""
    if "T" in text or " " in text.strip():
        return due
    windows = week.of_day(due.date())
    return datetime.combine(due.date(), datetime.strptime(windows[-1][1] if windows else "18:00", "%H:%M").time())


def _planned(store: JobStore, known: Sequence[JobOutlook], now: datetime, in_view: str, before: tuple[str, ...],
             full: bool, stopped: Callable[[], bool]) -> _Found:
    week, pins = shop_week(store), day_pins(store)
    hours = hours_from(week, now)
    shop = Shop(SETUP_MINUTES, PLACES)
    jobs, of_id, waiting = [], {job.row.id: job for job in known}, []
    ordered = sorted(known, key=lambda job: job.row.opened_at)
    for arrived, job in enumerate(ordered):
        why = waits_for(job)
        if why:
            waiting.append(WaitingJob(job.row.id, job.row.serial, why, None))
            continue
        fresh = (now - job.last).total_seconds() / 60.0 <= UNDER_WAY_MINUTES
        one = to_do(job, now, week, arrived, pins, job.row.id == in_view and fresh and waits_until(job) is None)
        jobs.append(one)
        until = waits_until(job)
        if until is not None:
            waiting.append(WaitingJob(job.row.id, job.row.serial, job.facts.wait.words if job.facts.wait else "",
                                      bench_clock(until)))
    generator = np.random.default_rng(len(jobs))
    begun = monotonic()
    ends = begun + (FULL_SECONDS if full else QUICK_SECONDS)
    steps = max(1, sum(len(job.steps) for job in jobs))
    tries = min(MOST_TRIES, (FULL_STEPS if full else QUICK_STEPS) // steps)
    plan = planned(jobs, hours, shop, generator, tries, before, lambda: stopped() or monotonic() >= ends) \
        if jobs else DayPlan((), {}, {}, 0.0, 0.0)
    if full and jobs:
        plan = best_of_small(jobs, hours, shop, plan, EXACT_SECONDS)
    spreads = {job.id: spread_of(of_id[job.id]) for job in jobs}
    draws = DRAWS if full else QUICK_DRAWS
    chances = chances_late(jobs, plan.order, hours, shop, spreads, generator, draws) if jobs else {}

    def too_long() -> bool:
        return stopped() or monotonic() - begun > ALL_SECONDS

    risky = sorted((one for one, chance in chances.items() if chance >= AT_RISK), key=lambda one: -chances[one])
    # The one most at risk is worked out however slow the machine is.
    saved = {one: saving(jobs, plan.order, chances, one, hours, shop, spreads, generator,
                         too_long if place else stopped)
             for place, one in enumerate(risky[:MOST_SAVED] if full else ())}
    promised = {one.id: (now + timedelta(minutes=one.due), saved.get(one.id)) for one in jobs if one.due is not None}
    return plan, jobs, of_id, waiting, chances, promised, hours.windows


def _as_day(found: _Found, now: datetime, seconds: float) -> DayPlanned:
    plan, jobs, of_id, waiting, chances, promised, windows = found
    by_id = {job.id: job for job in jobs}

    def moment(minutes: float) -> datetime:
        return now + timedelta(minutes=min(minutes, 2 * BEYOND))

    def item(p: Placed) -> RibbonItem:
        job, step = by_id[p.job], by_id[p.job].steps[p.index]
        last = p.index == len(job.steps) - 1
        return RibbonItem(p.job, job.name, step.words, moment(p.begin), moment(p.end), moment(p.until),
                          tuple((moment(a), moment(b)) for a, b in p.pieces), step.setup, p.changing,
                          plan.late.get(p.job, 0.0) if last else 0.0, job.pinned is not None, job.under_way and
                          p.index == 0)

    promises = []
    for job_id, (due, saved) in promised.items():
        done = plan.done.get(job_id, BEYOND)
        other = of_id[saved.other].row.serial if saved is not None and saved.other in of_id else ""
        promises.append(Promise(job_id, by_id[job_id].name, due, moment(done) if done < BEYOND else None,
                                chances.get(job_id, 0.0), saved, other))
    items = tuple(item(p) for p in plan.placed)
    first = dict.fromkeys(i.job_id for i in items)
    idle = [w.job_id for w in sorted(waiting, key=lambda w: (w.until is None, w.until or now)) if w.job_id not in first]
    unknown = tuple(job.row.serial for job in of_id.values() if job.model is None)
    return DayPlanned(now, items, tuple(waiting), tuple(sorted(promises, key=lambda p: (-p.chance_late, p.due))),
                      tuple((moment(a), moment(b)) for a, b in windows), plan.order, plan.exact, plan.idle,
                      (*first, *idle), unknown, seconds)

