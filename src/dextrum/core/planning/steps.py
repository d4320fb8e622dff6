"""What a plan is made of: steps of jobs with hands' minutes and waits, and where each lands."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from dextrum.core.board.bounds import require

LONGEST_MINUTES = 100_000.0


@dataclass(frozen=True)
class Step:
    """One stretch of hands at one place, and the wait after it before the next of its job can begin.

    setup: what has to be ready for it (hot air and plate, meter, dock); a change of it costs hands' minutes. holds:
    what it keeps busy till its wait is over, of which there are only so many (the dock, the power meter, the known-good
    cell, a place on the charging shelf); what the next step of its job holds as well is kept between them. whole: it
    can't be left for a break.
    """

    words: str
    hands: float
    wait: float = 0.0
    setup: str = ""
    holds: tuple[str, ...] = ()
    whole: bool = False

    def __post_init__(self) -> None:
        require(self.hands, 0.0, LONGEST_MINUTES, "hands")
        require(self.wait, 0.0, LONGEST_MINUTES, "wait")


@dataclass(frozen=True)
class JobToDo:
    """An open job. steps in order. ready: minutes from now before which none can begin (a wait under way, a part in the
    post). due: minutes from now by which it must be done, with the post before it; None without a promise. arrived:
    order of coming in. weight: of its lateness. pinned: minutes from now at which its next step was put by hand.
    under_way: hands are on it now. has: what it has of what its first step holds, from before now."""

    id: str
    name: str
    steps: tuple[Step, ...]
    ready: float = 0.0
    due: float | None = None
    arrived: int = 0
    weight: float = 1.0
    pinned: float | None = None
    under_way: bool = False
    has: tuple[str, ...] = ()

    @property
    def hands(self) -> float:
        return sum(step.hands for step in self.steps)


@dataclass(frozen=True)
class Hours:
    """When hands are there: windows of (begin, end) in minutes from now, in order, never overlapping. What is left
    after the last one lies beyond the horizon."""

    windows: tuple[tuple[float, float], ...]

    @cached_property
    def longest(self) -> float:
        """Minutes of the longest window."""
        return max((end - begin for begin, end in self.windows), default=0.0)


@dataclass(frozen=True)
class Shop:
    """What changing over takes, by setup, in hands' minutes; and how many there are of what steps hold, by name (one
    where nothing is said)."""

    setup_minutes: Mapping[str, float] = field(default_factory=dict)
    places: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True)
class Placed:
    """A step in the plan. begin to end: hands, breaks within it included; until: its wait is over. pieces: the
    stretches of hands between breaks. changing: minutes of setting up at its beginning."""

    job: str
    index: int
    begin: float
    end: float
    until: float
    pieces: tuple[tuple[float, float], ...]
    changing: float = 0.0


@dataclass(frozen=True)
class DayPlan:
    """placed in the order of beginning. done: when each job is done, inf where it isn't within the hours there are.
    late: minutes past its promise, by job. lateness: weighted sum; idle: hands' minutes within hours, before the last
    step, in which nothing was to be done. exact: it is proved that none has less lateness. tight: minutes by which
    promises would be late if all hands until then took `RESERVE` longer."""

    placed: tuple[Placed, ...]
    done: Mapping[str, float]
    late: Mapping[str, float]
    lateness: float
    idle: float
    order: tuple[str, ...] = ()
    exact: bool = False
    tight: float = 0.0

    @property
    def cost(self) -> tuple[float, float]:
        """What is least in the best plan: lateness first, then idle hands, and promises kept by a hair."""
        return round(self.lateness, 3), round(self.idle + self.tight, 3)

    def of_job(self, job: str) -> tuple[Placed, ...]:
        return tuple(p for p in self.placed if p.job == job)


RESERVE = 0.35
"""Share by which hands' minutes often turn out longer: of two plans that keep all promises the one with room is better.
The 80 % interval of a job's forecast ends about so far above its middle. Weeks whose minutes are off by other spreads
were worked as well, see docs/money.md."""
BEYOND = 14 * 24 * 60.0
"""What counts as done by for a job that the hours don't reach: two weeks, so that such a plan is never the best."""


def lateness_of(jobs: Sequence[JobToDo], done: Mapping[str, float]) -> tuple[dict[str, float], float]:
    """Minutes past each promise, and their weighted sum."""
    late = {job.id: max(0.0, min(done.get(job.id, BEYOND), BEYOND) - job.due) for job in jobs if job.due is not None}
    return late, sum(late[job.id] * job.weight for job in jobs if job.id in late)
