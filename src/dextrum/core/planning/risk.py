"""Which promise is at risk, and what would save it: the plan's order kept with durations drawn again and again."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.planning.dispatch import dispatched
from dextrum.core.planning.steps import Hours, JobToDo, Shop

AT_RISK = 0.2
"""Chance of being late from which a promise is called at risk: one in five."""
DRAWS = 60
"""Times the day is played; a chance of one in five is then known to within five in a hundred."""
SAVING_DRAWS = 30
MANY = 25
"""Jobs above which less is tried, so that the answer comes within a second."""
MOST_PUT_OFF = 5
"""Jobs ahead that are tried to be put off, in the order of the plan."""
LATER_MINUTES = (30.0, 60.0, 120.0)
"""How much longer hands might stay, as what could save a promise."""


@dataclass(frozen=True)
class Saving:
    """What would save a promise: kind 'first' (this job before all others), 'longer' (stay so many minutes), 'put off'
    (another job, after tomorrow's first), or 'none'. chance: of being late then."""

    kind: str
    minutes: float
    other: str
    chance: float


def chances_late(jobs: Sequence[JobToDo], order: Sequence[str], hours: Hours, shop: Shop,
                 spreads: Mapping[str, np.ndarray], generator: np.random.Generator, draws: int = DRAWS) -> dict[
                     str, float]:
    """Chance of each promised job to be late when the order is kept. spreads: by job, what its hands may take over what
    was planned, as an array to draw from; jobs without one go as planned."""
    promised = [job.id for job in jobs if job.due is not None]
    if not promised:
        return {}
    picked = {job: values[generator.integers(0, len(values), draws)] for job, values in spreads.items() if len(values)}
    late = dict.fromkeys(promised, 0)
    for k in range(draws):
        plan = dispatched(jobs, order, hours, shop, {job: float(values[k]) for job, values in picked.items()})
        for job in promised:
            late[job] += plan.late.get(job, 0.0) > 0.0
    return {job: count / draws for job, count in late.items()}


def saving(jobs: Sequence[JobToDo], order: Sequence[str], chances: Mapping[str, float], job: str, hours: Hours,
           shop: Shop, spreads: Mapping[str, np.ndarray], generator: np.random.Generator,
           stopped: Callable[[], bool] = lambda: False) -> Saving | None:
    """The first thing after which a promise is at risk no more, and no other that was safe is: doing it first, putting
    one other job off, staying longer today; None where it was stopped before that was known. chances: of being late by
    the order that stands."""
    safe = {one for one, chance in chances.items() if chance < AT_RISK}

    def chance_by(tried: Sequence[str], there: Hours) -> float | None:
        """Chance of being late, where it is below what counts as a risk for this job and all that were safe. What is
        late even if all goes as planned is not played."""
        if dispatched(jobs, tried, there, shop).late.get(job, 0.0) > 0.0:
            return None
        found = chances_late(jobs, tried, there, shop, spreads, generator,
                             SAVING_DRAWS if len(jobs) <= MANY else SAVING_DRAWS // 3)
        ok = found[job] < AT_RISK and all(found[one] < AT_RISK for one in safe)
        return found[job] if ok else None

    own = sum(one == job for one in order)
    first = [*[job] * max(own, 1), *(one for one in order if one != job)]
    ways = [Saving("first", 0.0, "", 0.0)]
    ways += [Saving("put off", 0.0, other, 0.0) for other in [
        one for one in dict.fromkeys(order) if one != job][:MOST_PUT_OFF if len(jobs) <= MANY else 1]]
    ways += [Saving("longer", minutes, "", 0.0) for minutes in LATER_MINUTES]
    for way in ways:
        if stopped():
            return None
        tried = first if not way.other else [one for one in first if one != way.other] + [
            one for one in first if one == way.other]
        there = longer_today(hours, way.minutes) if way.minutes else hours
        chance = chance_by(tried, there)
        if chance is not None:
            return replace(way, chance=chance)
    return Saving("none", 0.0, "", chances.get(job, 1.0))


DAY_GAP = 6 * 60.0
"""A pause of hands from which on it is the next day."""


def longer_today(hours: Hours, minutes: float) -> Hours:
    """The same hours with the last window before the first long pause so much longer."""
    windows = list(hours.windows)
    for place, (begin, end) in enumerate(windows):
        if place + 1 == len(windows) or windows[place + 1][0] - end >= DAY_GAP:
            windows[place] = begin, end + minutes
            break
    return Hours(tuple(windows))
