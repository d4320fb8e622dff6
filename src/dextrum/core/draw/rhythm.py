"""Does it come and go in a rhythm? Period, duty and regularity of on and off, with a stated false-alarm rate."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.special import bdtrc

TOLERANCE = 0.25
"""Share of the period by which a cycle may differ from the middle one and still count as regular."""
FALSE_ALARM = 0.001
"""Chance, per stretch, that comings and goings at random are told as a rhythm. See `irregular_chance`."""
LEAST_INSIDE = 0.8
MOST_STEPS_MISSED = 1.5


@dataclass(frozen=True)
class Rhythm:
    """period_seconds: the middle cycle; duty: share of it that is on; regularity: share of cycles within the tolerance;
    false_alarm: chance that random comings and goings look this regular."""

    period_seconds: float
    duty: float
    regularity: float
    cycles: int
    false_alarm: float


@dataclass(frozen=True)
class Beat:
    """A rhythm with where it was heard: first and last rising edge, as places in the list of rises."""

    rhythm: Rhythm
    first: int
    last: int


def irregular_chance(inside: int, intervals: int, tolerance: float) -> float:
    """Chance that at least `inside` of the intervals of a Poisson process lie within the tolerance of one length.

    An exponential interval lies in [(1 - r) x, (1 + r) x] with a chance of exp(-(1 - r) x) - exp(-(1 + r) x), which is
    largest at x = ln((1 + r) / (1 - r)) / (2 r); the binomial tail at that chance is a bound whatever x is.
    """
    r = min(tolerance, 0.95)
    x = np.log((1 + r) / (1 - r)) / (2 * r)
    chance = float(np.exp(-(1 - r) * x) - np.exp(-(1 + r) * x))
    return float(bdtrc(inside - 1, intervals, chance)) if inside > 0 else 1.0


def two_levels(values: np.ndarray, weights: np.ndarray) -> tuple[float, float]:
    """Lower and upper level of values that go back and forth (two means, weighted)."""
    low, high = float(values.min()), float(values.max())
    for _ in range(8):
        upper = values > (low + high) / 2
        if upper.all() or not upper.any():
            break
        low = float(np.average(values[~upper], weights=weights[~upper]))
        high = float(np.average(values[upper], weights=weights[upper]))
    return low, high


def find_beat(rises: np.ndarray, falls: np.ndarray, step_seconds: float) -> Beat | None:
    """The rhythm of a stretch from the times of its rising edges (M,) and the falling edge after each (M,), or None.

    None where it is not told apart from random comings and goings at `FALSE_ALARM`.
    """
    intervals = np.diff(rises)
    if len(intervals) < 3:
        return None
    middle = float(np.median(intervals))
    tolerance = TOLERANCE + MOST_STEPS_MISSED * step_seconds / middle
    inside = np.abs(intervals - middle) <= tolerance * middle
    places = np.flatnonzero(inside)
    if not len(places):
        return None
    first, last = int(places[0]), int(places[-1])
    counted, held = last - first + 1, int(inside[first:last + 1].sum())
    chance = irregular_chance(held, counted, tolerance)
    if held < LEAST_INSIDE * counted or chance > FALSE_ALARM:
        return None
    span = slice(first, last + 1)
    kept = intervals[span][inside[span]]
    # The mean of regular cycles beats the middle one: the meter's sampling blurs each edge on its own.
    period = float(kept.mean())
    duty = float(np.clip(np.median((falls - rises)[span]) / period, 0.0, 1.0))
    return Beat(Rhythm(period, duty, held / counted, counted, chance), first, last + 1)
