"""How often a fault that comes and goes must stay away before it counts as gone.

Method: a fault that is still there stays away in each try by itself with the chance 1 - p, so n tries without it are as
likely as (1 - p)**n; Bayes' rule with the chance that the repair took gives the chance that it is gone. Of one that
shows once in T minutes, t minutes without it are as likely as exp(-t / T) (a Poisson process).
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.assumptions.trials import GONE_ENOUGH, REPAIR_TOOK
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.job import JobFacts


@dataclass(frozen=True)
class TriesLeft:
    """What a check still wants. passed, minutes: made since the last repair without the fault; wanted_tries,
    wanted_minutes: in all, one of them zero; gone: the chance that the fault is gone as it stands."""

    check: str
    passed: int
    minutes: float
    wanted_tries: int
    wanted_minutes: float
    gone: float

    @property
    def enough(self) -> bool:
        return self.passed >= self.wanted_tries and self.minutes >= self.wanted_minutes - 1e-9

    @property
    def words(self) -> str:
        """'2 of 8 tries', '10 of 60 min'."""
        if self.wanted_tries:
            return tr("{passed} of {wanted_tries} tries", passed=self.passed, wanted_tries=self.wanted_tries)
        return tr("{minutes:.0f} of {ceil} min", minutes=self.minutes, ceil=math.ceil(self.wanted_minutes))


def chance_gone(stays_away: float, took: float = REPAIR_TOOK) -> float:
    """That the fault is gone, after it has stayed away where one that is there would have with this chance. took: the
    chance that it is gone before anything was tried."""
    return took / (took + (1.0 - took) * stays_away)


def _least_doubt(took: float, gone: float) -> float:
    """How rarely a fault that is there may stay away like that."""
    return took * (1.0 - gone) / (gone * (1.0 - took))


def tries_wanted(shows: float, took: float = REPAIR_TOOK, gone: float = GONE_ENOUGH) -> int:
    """Tries without the fault that make it gone with the chance `gone`. shows: its chance a try. Raises ValueError for
    a chance that is none."""
    if not 0.0 < shows <= 1.0:
        raise ValueError(tr("a chance of {shows:g}; expected more than 0 and at most 1", shows=shows))
    if shows == 1.0:
        return 1
    return max(1, math.ceil(math.log(_least_doubt(took, gone)) / math.log1p(-shows) - 1e-9))


def minutes_wanted(every_minutes: float, took: float = REPAIR_TOOK, gone: float = GONE_ENOUGH) -> float:
    """Minutes without the fault, of one that shows once in so many on average."""
    if every_minutes <= 0.0:
        raise ValueError(tr("once in {every_minutes:g} minutes; expected more than 0", every_minutes=every_minutes))
    return max(0.0, -every_minutes * math.log(_least_doubt(took, gone)))


def tries_left(facts: JobFacts, check: str) -> TriesLeft | None:
    """What a check still wants; None where nobody said that its fault comes and goes."""
    said = (facts.comes_and_goes or {}).get(check)
    if said is None:
        return None
    passed, minutes = (facts.passes or {}).get(check, (0, 0.0))
    if said.every_minutes:
        wanted = minutes_wanted(said.every_minutes)
        return TriesLeft(check, passed, minutes, 0, wanted, chance_gone(math.exp(-minutes / said.every_minutes)))
    wanted_tries = tries_wanted(said.shows)
    return TriesLeft(check, passed, minutes, wanted_tries, 0.0, chance_gone((1.0 - said.shows) ** passed))


def unproved(facts: JobFacts, checks: tuple[str, ...]) -> tuple[TriesLeft, ...]:
    """Checks that passed, and not often enough for what was said of them."""
    found = (tries_left(facts, check) for check in checks)
    return tuple(left for left in found if left is not None and not left.enough)
