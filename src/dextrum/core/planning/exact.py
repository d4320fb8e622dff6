"""The least lateness there is, for small days: a mixed-integer programme by SciPy's solver (HiGHS).

Each step is in one window of hours and never over a break; of every two steps one is before the other; a wait, and what
steps in a row hold, must be over before the next (A. S. Manne, On the job-shop scheduling problem, Operations Research
8, 1960). Lateness weighs so much that idle hands only choose among plans with the least of it.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import combinations

import numpy as np

from dextrum.core.planning.dispatch import TINY, Busy, pieces_from
from dextrum.core.planning.steps import DayPlan, Hours, JobToDo, Placed, Shop, Step, lateness_of

MOST_STEPS = 8
"""Steps of a small day: of ten the solver took up to five seconds, of eight a second at most."""
MOST_WINDOWS = 6
LATENESS_WEIGHT = 1000.0
MOST_SECONDS = 5.0
NO_LATER = 0.01
"""Minutes by which the solver's own tolerance may show."""


def is_small(jobs: Sequence[JobToDo], hours: Hours) -> bool:
    """Whether the exact plan can be worked out: few steps, and every one of them in one piece in some window."""
    steps = [step for job in jobs for step in job.steps]
    longest = max((end - begin for begin, end in hours.windows[:MOST_WINDOWS]), default=0.0)
    return 0 < len(steps) <= MOST_STEPS and all(step.hands <= longest for step in steps) and not any(
        job.pinned is not None for job in jobs)


def exact_plan(jobs: Sequence[JobToDo], hours: Hours, shop: Shop, seconds: float = MOST_SECONDS) -> DayPlan | None:
    """The plan with the least lateness, then the earliest end of hands; None where the solver found none in time, or no
    plan keeps within the windows looked at."""
    # SciPy's optimiser takes a while to load, and a large day never asks for it.
    from scipy.optimize import Bounds, LinearConstraint, milp

    steps = [(j, k, step) for j, job in enumerate(jobs) for k, step in enumerate(job.steps)]
    windows = hours.windows[:MOST_WINDOWS]
    n, w = len(steps), len(windows)
    pairs = list(combinations(range(n), 2))
    late_at = n + n * w + len(pairs)
    width = late_at + len(jobs) + 1
    last = max(end for _, end in windows)
    big = last + sum(s.hands + s.wait for *_, s in steps) + sum(shop.setup_minutes.values()) * n + 1.0
    rows: list[np.ndarray] = []
    low: list[float] = []

    def least(row: dict[int, float], value: float) -> None:
        found = np.zeros(width)
        for column, factor in row.items():
            found[column] += factor
        rows.append(found)
        low.append(value)

    def window_of(i: int, k: int) -> int:
        return n + i * w + k

    for i, (j, k, step) in enumerate(steps):
        row = {window_of(i, place): 1.0 for place in range(w)}
        least(row, 1.0)
        least(dict.fromkeys(row, -1.0), -1.0)
        for place, (begin, end) in enumerate(windows):
            least({i: 1.0, window_of(i, place): -big}, begin - big)
            least({i: -1.0, window_of(i, place): -big}, step.hands - end - big)
        if k == 0:
            least({i: 1.0}, 0.0 if jobs[j].under_way else jobs[j].ready)
        else:
            before = steps[i - 1][2]
            least({i: 1.0, i - 1: -1.0}, before.hands + before.wait)
        if k == len(jobs[j].steps) - 1 and jobs[j].due is not None:
            least({late_at + j: 1.0, i: -1.0}, step.hands + step.wait - float(jobs[j].due or 0.0))
        least({width - 1: 1.0, i: -1.0}, step.hands)
        if step.setup:
            # Nothing is set up when the day begins: whoever needs it first sets it up first.
            least({i: 1.0}, windows[0][0] + shop.setup_minutes.get(step.setup, 0.0))
        if k == 0 and jobs[j].under_way:
            # Hands are on it: it goes on where the day begins, before all others.
            least({i: -1.0}, -(windows[0][0] + shop.setup_minutes.get(step.setup, 0.0)))
    for at, (a, b) in enumerate(pairs):
        column = n + n * w + at
        if steps[a][0] == steps[b][0]:
            least({column: 1.0}, 1.0)
        for first, then, sign in ((a, b, 1.0), (b, a, -1.0)):
            gap = steps[first][2].hands + _changing(steps[first][2].setup, steps[then][2].setup, shop)
            # column is 1 where a is before b.
            if sign > 0:
                least({then: 1.0, first: -1.0, column: -big}, gap - big)
            else:
                least({then: 1.0, first: -1.0, column: big}, gap)
    for one, other in combinations(_held(jobs, steps, shop), 2):
        if one.name != other.name or one.job == other.job:
            continue
        column = n + n * w + pairs.index((one.first, other.first))
        if one.has and other.has:
            return None
        for holder, next_one, sign in ((one, other, 1.0), (other, one, -1.0)):
            free = steps[holder.last][2].hands + steps[holder.last][2].wait
            if holder.has:
                least({next_one.first: 1.0, holder.last: -1.0}, free)
            elif sign > 0:
                least({next_one.first: 1.0, holder.last: -1.0, column: -big}, free - big)
            else:
                least({next_one.first: 1.0, holder.last: -1.0, column: big}, free)
    cost = np.zeros(width)
    for j, job in enumerate(jobs):
        cost[late_at + j] = LATENESS_WEIGHT * job.weight
    cost[width - 1] = 1.0
    cost[:n] = 1e-3 / max(n, 1)
    integral = np.zeros(width, dtype=int)
    integral[n:late_at] = 1
    upper = np.full(width, np.inf)
    upper[n:late_at] = 1
    solved = milp(cost, constraints=LinearConstraint(np.array(rows), np.array(low), np.inf), integrality=integral,
                  bounds=Bounds(np.zeros(width), upper), options={"time_limit": seconds, "mip_rel_gap": 1e-6})
    if solved.x is None:
        return None
    return _as_plan(jobs, hours, shop, steps, solved.x[:n], solved.status == 0)


@dataclass(frozen=True)
class _Held:
    """Steps of a job, from first to last in one row, that hold the only one of its name. has: from before now."""

    name: str
    job: int
    first: int
    last: int
    has: bool


def _held(jobs: Sequence[JobToDo], steps: Sequence[tuple[int, int, Step]], shop: Shop) -> list[_Held]:
    """In the order of the steps."""
    found: list[_Held] = []
    for i, (j, k, step) in enumerate(steps):
        for name in step.holds:
            if shop.places.get(name, 1) != 1:
                continue
            before = next((one for one in found if (one.name, one.job, one.last) == (name, j, i - 1)), None)
            if before is not None:
                found[found.index(before)] = replace(before, last=i)
            else:
                found.append(_Held(name, j, i, i, k == 0 and name in jobs[j].has))
    return found


def _changing(before: str, then: str, shop: Shop) -> float:
    return shop.setup_minutes.get(then, 0.0) if then and then != before else 0.0


def _as_plan(jobs: Sequence[JobToDo], hours: Hours, shop: Shop, steps: Sequence[tuple[int, int, Step]],
             begins: np.ndarray, proved: bool) -> DayPlan | None:
    """The solver's order, each step as early as it can be; proved only where that is no later than the solver said.
    None where a step fits in no window any more."""
    placed: list[Placed] = []
    setup, now = "", 0.0
    ready = {job.id: 0.0 if job.under_way else job.ready for job in jobs}
    busy = Busy(jobs, shop.places)
    for i in np.argsort(begins, kind="stable").tolist():
        j, k, step = steps[i]
        changing = _changing(setup, step.setup, shop)
        at = max(now, ready[jobs[j].id], busy.free_at(step.holds, jobs[j].id))
        pieces, _ = pieces_from(hours, at, step.hands + changing, True)
        if len(pieces) != 1:
            return None
        begin, end = pieces[0]
        placed.append(Placed(jobs[j].id, k, begin, end, end + step.wait, pieces, changing))
        busy.take(jobs[j], k, end + step.wait)
        setup, now, ready[jobs[j].id] = step.setup or setup, end, end + step.wait
    done = {job.id: max((p.until for p in placed if p.job == job.id), default=job.ready) for job in jobs}
    late, lateness = lateness_of(jobs, done)
    said = {jobs[j].id: float(begins[i]) + step.hands + step.wait for i, (j, _, step) in enumerate(steps)}
    _, least = lateness_of(jobs, {**{job.id: job.ready for job in jobs}, **said})
    last = max((p.end for p in placed), default=0.0)
    there = sum(max(0.0, min(end, last) - begin) for begin, end in hours.windows)
    idle = max(0.0, there - sum(p.end - p.begin for p in placed))
    return DayPlan(tuple(placed), done, late, lateness, idle, tuple(p.job for p in placed),
                   proved and lateness <= least + NO_LATER)


def best_of_small(jobs: Sequence[JobToDo], hours: Hours, shop: Shop, found: DayPlan, seconds: float) -> DayPlan:
    """The exact plan where the day is small and it is better than what was found; what was found is called exact where
    nothing has less lateness."""
    if not is_small(jobs, hours):
        return found
    plan = exact_plan(jobs, hours, shop, seconds)
    if plan is None:
        return found
    if plan.lateness < found.lateness - TINY:
        return plan
    return replace(found, exact=plan.exact and found.lateness <= plan.lateness + NO_LATER)

