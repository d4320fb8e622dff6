"""What to order: what open jobs are likely to need and what comes in meanwhile, against what lies there.

The quantity of a newsvendor: as many as cover the demand of the time until the next order is here with the chance
Cu / (Cu + Co), where Cu is what a unit loses that waits for its part, and Co what a part costs that lies about (K. J.
Arrow, T. Harris and J. Marschak, Optimal inventory policy, Econometrica 19, 1951), and never with all but certainty.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from dextrum.core.assumptions.shop import COVERED_AT_MOST, LOST_A_WAITING_DAY, PART_LIES_ABOUT

MOST_COVERED = 400
"""Largest demand that is worked out."""


@dataclass(frozen=True)
class PartDemand:
    """What is asked of one part. chances: of each open job that it will take one. a_week: how many are used otherwise,
    on average. price: of one; delivery_days: from ordering. left, on_order: what there is."""

    part: str
    chances: Sequence[float]
    a_week: float
    price: Decimal
    delivery_days: float
    left: int
    on_order: int


@dataclass(frozen=True)
class OrderLine:
    """part, and how many to order of it. expected: used until an order made now and the next are here; short_chance:
    that it runs out before an order made now is here, if none is made; covered: share of demand that is aimed at."""

    part: str
    count: int
    expected: float
    short_chance: float
    covered: float
    price: Decimal
    left: int
    on_order: int


PRIOR_WEEKS = 4.0
"""Of the shop's own records that what open jobs expect is worth."""
REVIEW_DAYS = 7.0
"""An order list is looked at once a week: an order must last until the next one is here."""


def demand_chances(chances: Sequence[float], a_week: float, days: float) -> np.ndarray:
    """Chance of each demand 0, 1, 2 … over so many days: open jobs one by one (each takes its part or not), and others
    as they come in (Poisson)."""
    own = np.ones(1)
    for chance in chances:
        own = np.convolve(own, (1.0 - min(max(chance, 0.0), 1.0), min(max(chance, 0.0), 1.0)))[:MOST_COVERED]
    mean = max(a_week, 0.0) * days / 7.0
    steps = np.arange(MOST_COVERED)
    log_factorial = np.concatenate([[0.0], np.cumsum(np.log(np.arange(1, MOST_COVERED)))])
    coming = np.exp(steps * np.log(mean) - mean - log_factorial) if mean > 0 else np.eye(1, MOST_COVERED)[0]
    whole = np.convolve(own, coming)[:MOST_COVERED]
    return np.asarray(whole / whole.sum())


def order_line(demand: PartDemand, lost_a_day: float = LOST_A_WAITING_DAY) -> OrderLine:
    """How many of one part to order now."""
    there = demand.left + demand.on_order
    soon = demand_chances(demand.chances, demand.a_week, demand.delivery_days)
    whole = demand_chances(demand.chances, demand.a_week, demand.delivery_days + REVIEW_DAYS)
    under = lost_a_day * demand.delivery_days
    over = PART_LIES_ABOUT * float(demand.price)
    covered = min(under / (under + over), COVERED_AT_MOST) if under + over > 0 else 0.0
    wanted = int(np.searchsorted(np.cumsum(whole), covered - 1e-12)) if covered > 0 else 0
    steps = np.arange(len(soon))
    return OrderLine(demand.part, max(0, wanted - there), float(whole @ np.arange(len(whole))),
                     float(soon[steps > there].sum()), covered, demand.price, demand.left, demand.on_order)


def order_list(demands: Sequence[PartDemand], lost_a_day: float = LOST_A_WAITING_DAY) -> tuple[OrderLine, ...]:
    """What to order, what runs out first on top; parts of which nothing is to be ordered are left out."""
    lines = [order_line(demand, lost_a_day) for demand in demands]
    return tuple(sorted((line for line in lines if line.count), key=lambda line: (-line.short_chance, line.part)))


def use_a_week(used: float, weeks: float, prior_a_week: float, prior_weeks: float = PRIOR_WEEKS) -> float:
    """How many of a part a week takes: used in so many weeks, with what open jobs expect as so many weeks of their own.
    """
    return (used + prior_a_week * prior_weeks) / (weeks + prior_weeks)
