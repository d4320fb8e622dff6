"""In which order the checks of the proof cost least: what one sets up serves the next, as long as nothing displaces it.

Exactly, over all orders of up to ten, by dynamic programming over which are done and what stands by then (M. Held and
R. Karp, J. SIAM 10, 1962); beyond that the next is always the one that saves most. Of equal orders the one nearest to
the pack's own comes first.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

from dextrum.core.board import ProofCheck, SetUp

MOST_EXACT = 10
"""Checks; beyond that the number of orders outgrows what a window may wait for."""
Standing = frozenset[str]
"""Ids of the set-ups that stand."""


@dataclass(frozen=True)
class OrderedCheck:
    """check: its id. set_up: what is set up anew for it, in the pack's order. minutes: with that."""

    check: str
    set_up: tuple[str, ...]
    minutes: float


@dataclass(frozen=True)
class ProofOrder:
    """saved: minutes against setting everything up for each check by itself."""

    checks: tuple[OrderedCheck, ...]
    saved: float

    @property
    def minutes(self) -> float:
        return sum(one.minutes for one in self.checks)


def _after(check: ProofCheck, standing: Standing, known: dict[str, SetUp]) -> Standing:
    """What stands once a check was tried: what it needs, and what that has not displaced."""
    taken = {known[name].place for name in check.set_up} - {""}
    return frozenset(check.set_up) | {name for name in standing if known[name].place not in taken}


def _saved(check: ProofCheck, standing: Standing, known: dict[str, SetUp]) -> float:
    return sum(known[name].minutes for name in check.set_up if name in standing)


def _exact(checks: Sequence[ProofCheck], known: dict[str, SetUp]) -> tuple[int, ...]:
    """Places of the checks in the best order."""
    states: dict[tuple[int, Standing], tuple[float, tuple[int, ...]]] = {(0, frozenset()): (0.0, ())}
    for _ in checks:
        following: dict[tuple[int, Standing], tuple[float, tuple[int, ...]]] = {}
        for (done, standing), (cost, path) in states.items():
            for place, check in enumerate(checks):
                if done >> place & 1:
                    continue
                key = done | 1 << place, _after(check, standing, known)
                way = round(cost - _saved(check, standing, known), 6), (*path, place)
                if key not in following or way < following[key]:
                    following[key] = way
        states = following
    return min(states.values())[1]


def _greedy(checks: Sequence[ProofCheck], known: dict[str, SetUp]) -> tuple[int, ...]:
    """The next is the one that saves most by what stands; of several the first."""
    standing: Standing = frozenset()
    left, path = list(range(len(checks))), []
    while left:
        best = max(left, key=lambda place: (_saved(checks[place], standing, known), -place))
        left.remove(best)
        path.append(best)
        standing = _after(checks[best], standing, known)
    return tuple(path)


@lru_cache(maxsize=64)
def checks_in_order(checks: tuple[ProofCheck, ...], set_ups: tuple[SetUp, ...]) -> ProofOrder:
    """The checks in the order that costs least, with what is set up anew before each."""
    known = {one.id: one for one in set_ups}
    path = (_exact if len(checks) <= MOST_EXACT else _greedy)(checks, known)
    return in_this_order([checks[place] for place in path], set_ups)


def in_this_order(checks: Sequence[ProofCheck], set_ups: Sequence[SetUp]) -> ProofOrder:
    """Checks as they stand, with what is set up anew before each; for the rest of an order that is known."""
    known = {one.id: one for one in set_ups}
    standing: Standing = frozenset()
    ordered, saved = [], 0.0
    for check in checks:
        spared = _saved(check, standing, known)
        anew = tuple(name for name in known if name in check.set_up and name not in standing)
        ordered.append(OrderedCheck(check.id, anew, check.minutes - spared))
        saved += spared
        standing = _after(check, standing, known)
    return ProofOrder(tuple(ordered), saved)
