"""Two explanations of one draw that only time or a known-good cell separates, and how long that takes."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.draw.dwell import stay_chance
from dextrum.core.draw.profile import DrawProfile

IN_DOUBT = 0.05
"""An explanation below this chance is not kept waiting for."""
LONGEST_WAIT = 24 * 3600.0
LEAST_WAIT = 60.0
"""Seconds: nobody reads a meter again sooner, and what is nearly settled is settled well then."""


@dataclass(frozen=True)
class Doubt:
    """state: index of the state the draw is in. healthy, faulty: chances of the explanations, adding up to 1.

    clear_after: seconds in this state, unchanged, after which a healthy unit is less likely than IN_DOUBT; more: how
    many of them are left, LEAST_WAIT at least. likely_change: seconds until half of the healthy units would have gone
    on.
    """

    state: int
    healthy: float
    faulty: float
    clear_after: float
    more: float
    likely_change: float
    fault: str


def _first(low: float, high: float, is_reached: object) -> float:
    """The least time at which a growing condition holds, by halving."""
    assert callable(is_reached)
    for _ in range(60):
        middle = (low + high) / 2
        low, high = (low, middle) if is_reached(middle) else (middle, high)
    return high


def find_doubt(profile: DrawProfile, by_function: np.ndarray, state: int, elapsed: float,
               midway: bool = False) -> Doubt | None:
    """by_function: (F,) chance of each function given that the draw is in `state` now, adding up to 1.

    elapsed: seconds in this state so far; midway: it may have begun before. None where one explanation is settled or
    waiting can't tell.
    """
    if state == profile.unknown:
        return None
    shown = profile.states[state]
    healthy = float(by_function[profile.healthy])
    faulty = 1.0 - healthy
    if min(healthy, faulty) < IN_DOUBT or not shown.dwell_minutes or not shown.followed_by:
        return None
    dwell = shown.dwell_minutes * 60.0

    def stays(seconds: float) -> float:
        return float(stay_chance(seconds, dwell, shown.dwell_spread, midway))

    now = max(stays(elapsed), 1e-12)

    def settled(seconds: float) -> bool:
        still = healthy * stays(seconds) / now
        return still / (still + faulty) < IN_DOUBT

    def half(seconds: float) -> bool:
        return stays(seconds) < 0.5 * now

    if not settled(elapsed + LONGEST_WAIT):
        return None
    clear = max(_first(elapsed, elapsed + LONGEST_WAIT, settled), elapsed + LEAST_WAIT)
    change = _first(elapsed, elapsed + LONGEST_WAIT, half)
    others = by_function.copy()
    others[profile.healthy] = -1.0
    return Doubt(state, healthy, faulty, clear, clear - elapsed, change - elapsed,
                 profile.functions[int(others.argmax())])
