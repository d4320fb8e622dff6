"""A good order of jobs for a day of any size: the best of the usual rules, then moved about as long as that helps.

Moves take one job out of the order and put it elsewhere, late ones first (an insertion neighbourhood, as E. Taillard,
Some efficient heuristic methods for the flow shop sequencing problem, European Journal of Operational Research 47,
1990), and equal plans are accepted, so that plateaus are crossed.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np

from dextrum.core.planning.dispatch import dispatched
from dextrum.core.planning.steps import DayPlan, Hours, JobToDo, Shop

NO_PROMISE = 60.0 * 24 * 60
"""Minutes from now that stand for the promise of a job without one: two months, after every job that has one."""
MOST_FINE = 12
"""Jobs up to which each of their steps is moved by itself as well; of more, whole jobs are, which finds more in as many
tries."""
Key = Callable[[JobToDo], tuple[float, ...]]


def _slack(job: JobToDo) -> float:
    """Minutes to spare before the promise if hands went on without a pause."""
    return (job.due if job.due is not None else NO_PROMISE) - max(job.ready, 0.0) - sum(
        s.hands + s.wait for s in job.steps)


RULES: dict[str, Key] = {
    "as they came in": lambda job: (job.arrived,),
    "earliest promise": lambda job: (job.due if job.due is not None else NO_PROMISE, job.arrived),
    "least to spare": lambda job: (_slack(job), job.arrived),
    "shortest first": lambda job: (job.steps[0].hands if job.steps else 0.0, job.arrived),
    "longest wait first": lambda job: (-(job.steps[0].wait if job.steps else 0.0), job.arrived),
}
"""Orders that people keep in their heads, by name."""


def by_rule(jobs: Sequence[JobToDo], rule: str) -> tuple[str, ...]:
    """Ids of jobs in the order of one rule. Raises KeyError for none of that name."""
    return tuple(job.id for job in sorted(jobs, key=RULES[rule]))


def _step_by_step(jobs: Sequence[JobToDo], order: Sequence[str]) -> list[str]:
    """An order with each job once for every step it has, where it stands for the first time."""
    steps = {job.id: len(job.steps) for job in jobs if job.steps}
    if len(order) == sum(steps.values()) and set(order) == set(steps):
        return list(order)
    first = [*dict.fromkeys(one for one in order if one in steps), *(one for one in steps if one not in set(order))]
    return [one for one in first for _ in range(steps[one])]


def planned(jobs: Sequence[JobToDo], hours: Hours, shop: Shop, generator: np.random.Generator, tries: int = 200,
            before: Sequence[str] = (), stopped: Callable[[], bool] = lambda: False) -> DayPlan:
    """The best plan found. before: the order of the plan that stood, with which the search begins as well, so that what
    was planned is not turned over for nothing. tries: orders looked at beyond the rules."""
    starts = [tuple(before)] if before else []
    starts += [by_rule(jobs, rule) for rule in RULES]
    best = min((dispatched(jobs, order, hours, shop) for order in starts), key=lambda plan: plan.cost)
    fine = len(jobs) <= MOST_FINE
    ids = _step_by_step(jobs, best.order) if fine else list(dict.fromkeys(
        (*best.order, *(job.id for job in jobs if job.steps))))
    if len(ids) < 2:
        return best
    for _ in range(tries):
        if stopped() or best.cost <= (0.0, 0.0):
            break
        late = [job for job, minutes in best.late.items() if minutes > 0.0]
        moved = late[int(generator.integers(len(late)))] if late and generator.random() < 0.5 else ids[
            int(generator.integers(len(ids)))]
        here = ids.index(moved)
        there = int(generator.integers(here + 1)) if late and generator.random() < 0.5 else int(
            generator.integers(len(ids)))
        if fine and generator.random() < 0.5:
            own = ids.count(moved)
            tried = [one for one in ids if one != moved]
            there = min(there, len(tried))
            tried[there:there] = [moved] * own
        else:
            tried = ids[:here] + ids[here + 1:]
            tried.insert(there, moved)
        plan = dispatched(jobs, tried, hours, shop)
        if plan.cost <= best.cost:
            best, ids = plan, tried
    return best
