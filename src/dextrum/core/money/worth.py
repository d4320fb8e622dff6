"""Whether one more hour on a unit of the shop's own pays, and what a lot of units bought unseen is worth.

Going on is worth what the plays of the rest bring (a repaired unit, or a donor), less their hands and parts; stopping
is worth the donor. An hour is worth going on for an hour and then deciding again, with what is known by then.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from dextrum.core.assumptions.shop import SHARED_LOSS, SHARED_SPREAD
from dextrum.core.outlook.rest_of_job import RestOfJob
from dextrum.tongue import tr

HOUR = 60.0


@dataclass(frozen=True)
class AnotherHour:
    """In the shop's currency. as_donor: what the unit is worth as it is; repaired: once it works. gain: what going on
    to the end is expected to bring against stopping now; hour: what one more hour is, with the choice to stop after it.
    sure: share of plays in which going on does better than stopping. done_by_then: that it is ended within the hour."""

    as_donor: float
    repaired: float
    gain: float
    hour: float
    sure: float
    done_by_then: float
    chance_good: float

    @property
    def pays(self) -> bool:
        return self.hour > 0.0


def another_hour(rest: RestOfJob, labour_per_hour: Decimal, repaired: Decimal, as_donor: Decimal) -> AnotherHour:
    """From the plays of the rest of a job."""
    per_minute = float(labour_per_hour) / 60.0
    whole, donor = float(repaired), float(as_donor)
    cost = per_minute * rest.hands + rest.spent_on_parts
    net = np.where(rest.good, whole, donor) - cost - donor
    if not rest.plays:
        return AnotherHour(donor, whole, 0.0, 0.0, 0.0, 1.0, 0.0)
    quick = rest.hands <= HOUR
    # Those that take longer: what is known after an hour is that they do, and what they then still cost.
    slow = ~quick
    hour = float(net[quick].sum())
    if slow.any():
        on = float((net[slow] + per_minute * HOUR).mean())
        hour += slow.sum() * (max(on, 0.0) - per_minute * HOUR)
    return AnotherHour(donor, whole, float(net.mean()), hour / rest.plays, float((net > 0).mean()),
                       float(quick.mean()), rest.chance_good)


@dataclass(frozen=True)
class UnseenUnit:
    """Units of a lot with one complaint: how many, how they play, what one fetches repaired and as a donor."""

    count: int
    rest: RestOfJob
    repaired: Decimal
    as_donor: Decimal


@dataclass(frozen=True)
class LotWorth:
    """What a lot brings before its price: middle and the ends of 80 %, the price at the chosen chance of loss, how many
    units come to a good end, and hands' hours; each of N simulated lots."""

    low: float
    middle: float
    high: float
    price: Decimal
    risk: float
    good_units: tuple[float, float, float]
    hours: tuple[float, float, float]


def worth_of_lot(units: Sequence[UnseenUnit], labour_per_hour: Decimal, risk: float, generator: np.random.Generator,
                 freight: Decimal = Decimal(0), shop_factor: float = 1.0, lots: int = 4000) -> LotWorth:
    """What to pay for units bought unseen, by simulating such lots. shop_factor: what jobs take here, beside what was
    forecast. Raises ValueError for a lot of nothing."""
    if not units or sum(u.count for u in units) <= 0:
        raise ValueError(tr("the lot has no units; expected at least one"))
    per_minute = float(labour_per_hour) / 60.0
    net, good, minutes = np.zeros(lots), np.zeros(lots), np.zeros(lots)
    shared_time = shop_factor * np.exp(SHARED_SPREAD * generator.normal(size=lots))
    shared_bad = SHARED_LOSS * generator.normal(size=lots)
    for unit in units:
        if not unit.rest.plays:
            continue
        picked = generator.integers(0, unit.rest.plays, (lots, unit.count))
        ends = unit.rest.good[picked]
        # A worse lot turns some of its good ends into donors, a better one the other way round.
        turned = generator.random(ends.shape) < np.abs(shared_bad)[:, None]
        ends = np.where(turned & (shared_bad < 0)[:, None], False, np.where(
            turned & (shared_bad > 0)[:, None] & (unit.rest.chance_good > 0.0), True, ends))
        hands = unit.rest.hands[picked] * shared_time[:, None]
        value = np.where(ends, float(unit.repaired), float(unit.as_donor))
        # Nobody goes on where stopping is worth more: the hour that showed it is spent all the same.
        cost = per_minute * hands + unit.rest.spent_on_parts[picked]
        stopped = float(unit.as_donor) - per_minute * np.minimum(hands, HOUR)
        net += np.maximum(value - cost, stopped).sum(axis=1)
        good += (ends & (value - cost >= stopped)).sum(axis=1)
        minutes += hands.sum(axis=1)
    net -= float(freight)
    low, middle, high = np.quantile(net, (0.1, 0.5, 0.9))
    at_risk = Decimal(repr(round(float(np.quantile(net, risk)), 2)))
    return LotWorth(float(low), float(middle), float(high), max(at_risk, Decimal(0)), risk,
                    _three(good), _three(minutes / 60.0))


def _three(values: np.ndarray) -> tuple[float, float, float]:
    low, middle, high = np.quantile(values, (0.1, 0.5, 0.9))
    return float(low), float(middle), float(high)


def shop_factor(forecast: Sequence[float], spent: Sequence[float], worth_jobs: float = 5.0) -> float:
    """What jobs take in this shop beside what was forecast: the median of the ratios, drawn to 1 as if `worth_jobs`
    jobs had gone as forecast."""
    ratios = [np.log(max(s, 1.0) / max(f, 1.0)) for f, s in zip(forecast, spent, strict=True)]
    if not ratios:
        return 1.0
    share = len(ratios) / (len(ratios) + worth_jobs)
    return float(np.exp(share * np.median(ratios)))
