"""A plan from an order of jobs: hands always take the first job of the order that can be worked on (a serial schedule
generation scheme, as in R. Kolisch and S. Hartmann, Heuristic algorithms for the resource-constrained project
scheduling problem, in J. Weglarz (ed.), Project Scheduling, Kluwer 1999), with waits going on by themselves."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from math import inf

from dextrum.core.planning.steps import BEYOND, RESERVE, DayPlan, Hours, JobToDo, Placed, Shop, lateness_of

TINY = 1e-9


class Busy:
    """What steps hold until their waits are over: for each name the times at which its places are free again, and which
    of them a job keeps for its next step."""

    def __init__(self, jobs: Iterable[JobToDo], places: Mapping[str, int]) -> None:
        self._places = places
        self._free: dict[str, list[float]] = {}
        self._kept: dict[tuple[str, str], int] = {}
        for job in jobs:
            for name in job.has if job.steps else ():
                if name in job.steps[0].holds:
                    self._take(name, job.id, inf, True)

    def free_at(self, names: tuple[str, ...], job: str) -> float:
        """The earliest time at which a job can have one of each."""
        return max((min(self._times(name)) for name in names if (job, name) not in self._kept), default=0.0)

    def take(self, job: JobToDo, index: int, until: float) -> None:
        """What one step of a job holds, until then; what its next step holds as well it keeps."""
        then = job.steps[index + 1].holds if index + 1 < len(job.steps) else ()
        for name in job.steps[index].holds:
            self._take(name, job.id, until, name in then)

    def _times(self, name: str) -> list[float]:
        times = self._free.get(name)
        if times is None:
            times = self._free[name] = [0.0] * max(1, self._places.get(name, 1))
        return times

    def _take(self, name: str, job: str, until: float, keeps: bool) -> None:
        times = self._times(name)
        place = self._kept.pop((job, name), None)
        if place is None:
            place = times.index(min(times))
            if times[place] == inf:
                times.append(0.0)  # two jobs say they have the only one: neither is taken from them
                place = len(times) - 1
        times[place] = inf if keeps else until
        if keeps:
            self._kept[job, name] = place


def pieces_from(hours: Hours, begin: float, minutes: float, whole: bool, first: int = 0) -> tuple[
        tuple[tuple[float, float], ...], int]:
    """Stretches of hands for so many minutes, not before `begin`; nothing where the hours don't reach. whole: in one
    window, if any is long enough. Also the window of the first stretch."""
    windows = hours.windows
    left, found, began = minutes, [], -1
    one = whole and minutes <= hours.longest + TINY
    for place in range(first, len(windows)):
        start, end = max(windows[place][0], begin), windows[place][1]
        room = end - start
        if room <= TINY and (minutes > TINY or room < -TINY):
            continue
        if one and room + TINY < minutes:
            continue
        taken = min(room, left)
        found.append((start, start + taken))
        began = place if began < 0 else began
        left -= taken
        if left <= TINY:
            return tuple(found), began
    return (), -1


def dispatched(jobs: Sequence[JobToDo], order: Sequence[str], hours: Hours, shop: Shop,
               factors: Mapping[str, float] | None = None) -> DayPlan:
    """The plan that follows an order of job ids. What is under way comes first and pinned jobs when they were put; of
    the others, hands take the first in the order that is ready and fits before a pinned one. An id may stand in the
    order several times, for one step after the other; the steps past its last place stand there too. factors: by job,
    on its hands' minutes, to play the order with other durations."""
    times = factors or {}
    ranks: dict[str, list[int]] = {}
    for place, one in enumerate(order):
        ranks.setdefault(one, []).append(place)
    by_id = {job.id: job for job in jobs}
    next_step = {job.id: 0 for job in jobs if job.steps}

    def rank(job: str) -> int:
        own = ranks.get(job)
        return own[min(next_step[job], len(own) - 1)] if own else len(order)

    left = sorted(next_step, key=rank)
    step_by_step = any(len(places) > 1 for places in ranks.values())
    ready = {job: by_id[job].ready for job in left}
    done = {job.id: job.ready for job in jobs if not job.steps}
    pinned = {job: float(by_id[job].pinned or 0.0) for job in left
              if by_id[job].pinned is not None and not by_id[job].under_way}
    for job, when in pinned.items():
        ready[job] = max(ready[job], when)
    busy, placed, setup = Busy(jobs, shop.places), [], ""
    window, now = 0, hours.windows[0][0] if hours.windows else BEYOND
    under = next((job for job in left if by_id[job].under_way), None)
    while left:
        while window < len(hours.windows) and hours.windows[window][1] <= now + TINY:
            window += 1
        if window == len(hours.windows):
            break
        now = max(now, hours.windows[window][0])
        chosen, soonest = None, BEYOND
        pins = sorted((ready[j], j) for j in left if j in pinned) if pinned else []
        for job in ([under] if under is not None else left):
            step = by_id[job].steps[next_step[job]]
            begins = now if under is not None else ready[job] if not step.holds else max(
                ready[job], busy.free_at(step.holds, job))
            if begins > now + TINY:
                soonest = min(soonest, begins)
                continue
            if pins and job not in pinned:
                due_pins = [when for when, _ in pins if when <= now + step.hands * times.get(job, 1.0) - TINY]
                if due_pins:
                    soonest = min(soonest, max(due_pins[0], now + TINY))
                    continue
            chosen = job
            break
        ripe = [j for when, j in pins if when <= now + TINY
                and busy.free_at(by_id[j].steps[next_step[j]].holds, j) <= now + TINY]
        if ripe and under is None:
            chosen = ripe[0]
        if chosen is None:
            now = max(soonest, now + 1e-6)
            continue
        step = by_id[chosen].steps[next_step[chosen]]
        changing = shop.setup_minutes.get(step.setup, 0.0) if step.setup and step.setup != setup else 0.0
        pieces, first = pieces_from(hours, now, step.hands * times.get(chosen, 1.0) + changing, step.whole, window)
        if not pieces:
            done[chosen] = BEYOND
            left.remove(chosen)
            under = None
            continue
        if step.whole and pieces[0][0] > now + TINY and under is None:
            # It doesn't fit before the break: others may.
            other = _that_fits(left, chosen, by_id, next_step, ready, busy, pins, pinned, now, hours.windows[window][1],
                               setup, shop, times)
            if other is not None:
                chosen, step = other, by_id[other].steps[next_step[other]]
                changing = shop.setup_minutes.get(step.setup, 0.0) if step.setup and step.setup != setup else 0.0
                pieces, first = pieces_from(hours, now, step.hands * times.get(chosen, 1.0) + changing, step.whole,
                                            window)
        begin, end = pieces[0][0], pieces[-1][1]
        until = end + step.wait
        placed.append(Placed(chosen, next_step[chosen], begin, end, until, pieces, changing))
        busy.take(by_id[chosen], next_step[chosen], until)
        setup = step.setup or setup
        now, window = end, max(first, window)
        pinned.pop(chosen, None)
        under = None
        next_step[chosen] += 1
        ready[chosen] = until
        if step_by_step:
            left.sort(key=rank)
        if next_step[chosen] == len(by_id[chosen].steps):
            done[chosen] = until
            left.remove(chosen)
    for job in left:
        done[job] = BEYOND
    late, lateness = lateness_of(jobs, done)
    return DayPlan(tuple(placed), done, late, lateness, _idle(placed, hours), tuple(order), tight=_tight(
        placed, by_id, done))


def _tight(placed: Sequence[Placed], by_id: Mapping[str, JobToDo], done: Mapping[str, float]) -> float:
    """Minutes by which promises that are kept would be late, had all hands until then taken `RESERVE` longer."""
    worked, last_of = 0.0, dict[str, float]()
    for p in placed:
        worked += sum(end - begin for begin, end in p.pieces)
        last_of[p.job] = worked
    return sum(max(0.0, min(RESERVE * hands, done[job] + RESERVE * hands - float(by_id[job].due or 0.0)))
               for job, hands in last_of.items() if by_id[job].due is not None)


def _that_fits(left: Sequence[str], chosen: str, by_id: Mapping[str, JobToDo], next_step: Mapping[str, int],
               ready: Mapping[str, float], busy: Busy, pins: Sequence[tuple[float, str]],
               pinned: Mapping[str, float], now: float, end: float, setup: str, shop: Shop,
               times: Mapping[str, float]) -> str | None:
    """The first other job whose step fits in what is left of the window, and before what is pinned."""
    limit = min([end, *(when for when, _ in pins if when > now)])
    for job in left:
        step = by_id[job].steps[next_step[job]]
        changing = shop.setup_minutes.get(step.setup, 0.0) if step.setup and step.setup != setup else 0.0
        if job != chosen and job not in pinned and max(ready[job], busy.free_at(step.holds, job)) <= now + TINY \
                and now + step.hands * times.get(job, 1.0) + changing <= limit + TINY:
            return job
    return None


def _idle(placed: Sequence[Placed], hours: Hours) -> float:
    """Minutes within hours before the last stretch of hands ends, less the stretches."""
    if not placed:
        return 0.0
    last = max(p.end for p in placed)
    there = sum(max(0.0, min(end, last) - begin) for begin, end in hours.windows)
    worked = sum(end - begin for p in placed for begin, end in p.pieces)
    return max(0.0, there - worked)
