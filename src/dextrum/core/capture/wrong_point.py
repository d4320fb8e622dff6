"""Whether a value was taken at another point than the one asked for.

Two explanations are weighed: the hand slipped, and the value is that of a point that may have been touched instead; or
it is this point's own, on a board that may be faulty. Neighbours are likelier touched than points far away.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

SLIP = 0.03
"""Share of touches that land on another point."""
FAULTY = 0.04
"""Share of points that a fault has moved, on a board that came in for repair."""
GROUNDED_SHARE, GROUNDED_VOLTS = 0.35, 0.05
FAR_BETTER = 2.0
"""A slip must be so many times likelier before the technician is asked."""
REACH_MM = 1.2
BROAD_PER_VOLT = 1.0


@dataclass(frozen=True)
class Expectation:
    """What a good board reads at a point, in volts (inf for OL), with the spread between boards; where it lies."""

    centre: float
    spread: float
    x_mm: float = 0.0
    y_mm: float = 0.0


def _density(value: float, here: Expectation) -> float:
    if not math.isfinite(here.centre) or here.spread <= 0.0:
        return 0.0
    z = (value - here.centre) / here.spread
    # Heavy tails: a good board further out than most is no slip.
    return float((1.0 + z * z / 6.0) ** -3.5) / (here.spread * 2.6)


def other_point(point: str, value: float, expected: Mapping[str, Expectation], at_hand: Mapping[str, float]) -> str:
    """The point that a value fits far better than the one asked for; empty where it may well be its own.

    at_hand: chance of each other point being touched instead, adding up to 1 or less.
    """
    here = expected.get(point)
    if here is None or not math.isfinite(value):
        return ""
    near_ground = GROUNDED_SHARE * math.exp(-max(value, 0.0) / GROUNDED_VOLTS) / GROUNDED_VOLTS
    own = (1.0 - FAULTY) * _density(value, here) + FAULTY * ((1.0 - GROUNDED_SHARE) * BROAD_PER_VOLT + near_ground)
    slips = {name: SLIP * share * _density(value, expected[name]) for name, share in at_hand.items()
             if name != point and name in expected and expected[name].centre > GROUNDED_VOLTS}
    if not slips or sum(slips.values()) <= FAR_BETTER * own:
        return ""
    return max(slips, key=slips.__getitem__)


def near_hand(point: str, expected: Mapping[str, Expectation]) -> dict[str, float]:
    """Chance of each other point being touched instead of one, by how near it lies."""
    here = expected.get(point)
    if here is None:
        return {}
    weight = {}
    for name, other in expected.items():
        if name != point:
            away = math.hypot(other.x_mm - here.x_mm, other.y_mm - here.y_mm)
            if away < 4.0 * REACH_MM:
                weight[name] = math.exp(-(away / REACH_MM) ** 2 / 2.0)
    total = sum(weight.values())
    return {name: w / total for name, w in weight.items()} if total > 1e-9 else {}
