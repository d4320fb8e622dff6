"""A price for a job of which nobody knows yet what it will take: at a chosen risk of loss, or as a ceiling.

The rest of the job is played (`core/outlook`); a price is a quantile of what the plays cost the shop. Plays are
floating point, as estimates are; what is asked, paid and counted is decimal.
"""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Literal

import numpy as np

from dextrum.core.board.bounds import require
from dextrum.core.money.amounts import NOTHING, Currency, check_amount
from dextrum.core.outlook.rest_of_job import RestOfJob
from dextrum.tongue import tr

Basis = Literal["fixed", "ceiling"]


@dataclass(frozen=True)
class Terms:
    """What this shop charges. labour_per_hour; postage back; rush: on top where the owner pays for it; not_repaired:
    what is charged when nothing can be repaired; parts_margin_percent: on what parts cost. risk: accepted chance that a
    job costs more than it brings."""

    labour_per_hour: Decimal
    postage: Decimal = NOTHING
    rush: Decimal = NOTHING
    not_repaired: Decimal = NOTHING
    parts_margin_percent: Decimal = NOTHING
    risk: float = 0.1

    def __post_init__(self) -> None:
        check_amount(self.labour_per_hour, "labour")
        check_amount(self.postage, "postage")
        check_amount(self.rush, "rush")
        check_amount(self.not_repaired, tr("what is charged when nothing can be repaired"))
        check_amount(self.parts_margin_percent, tr("the margin on parts"))
        require(self.risk, 0.01, 0.9, tr("risk of loss"))


@dataclass(frozen=True)
class Priced:
    """price: to say, rounded and with tax as the shop does. loss: chance that the job costs the shop more than it
    brings, at this price; out_of_reach: no price comes down to the chosen risk, since what is charged when nothing can
    be repaired doesn't cover it. middle, low, high: what the job costs the shop, 80 % of the plays. brings: what is
    left on average. spent: what is already in it."""

    basis: Basis
    price: Decimal
    loss: float
    out_of_reach: bool
    low: float
    middle: float
    high: float
    brings: float
    chance_good: float
    spent: float


def costs_of(rest: RestOfJob, terms: Terms, spent_minutes: float = 0.0, spent_parts: float = 0.0) -> np.ndarray:
    """What each play costs the shop, from the first minute on, (N,): labour, parts with their margin, postage."""
    labour = float(terms.labour_per_hour) / 60.0 * (rest.hands + spent_minutes)
    margin = 1.0 + float(terms.parts_margin_percent) / 100.0
    return np.asarray(labour + margin * (rest.spent_on_parts + spent_parts) + float(terms.postage))


def price(rest: RestOfJob, terms: Terms, currency: Currency, basis: Basis = "fixed", rush: bool = False,
          spent_minutes: float = 0.0, spent_parts: float = 0.0) -> Priced:
    """The least price at which no more than the chosen share of plays loses money; of a ceiling, up to which the owner
    pays what it took. Nothing is asked below zero, and a job that takes nothing costs nothing."""
    cost = costs_of(rest, terms, spent_minutes, spent_parts)
    kept_fee = float(currency.kept_of(terms.not_repaired))
    lost_anyway = ~rest.good & (cost > kept_fee + 1e-9)
    allowed = int(np.floor(terms.risk * len(cost))) - int(lost_anyway.sum())
    good_costs = np.sort(cost[rest.good])
    place = len(good_costs) - 1 - max(allowed, 0)
    needed = float(good_costs[place]) if len(good_costs) and place >= 0 else 0.0
    kept = Decimal(repr(round(needed, 6))) + (terms.rush if rush else NOTHING)
    said = currency.said_for(max(kept, NOTHING))
    left = float(currency.kept_of(said))
    income = np.where(rest.good, np.minimum(left, cost) if basis == "ceiling" else left, kept_fee)
    low, middle, high = (float(v) for v in np.quantile(cost, (0.1, 0.5, 0.9))) if len(cost) else (0.0, 0.0, 0.0)
    return Priced(basis, said, float((income < cost - 1e-9).mean()) if len(cost) else 0.0, allowed < 0, low, middle,
                  high, float((income - cost).mean()) if len(cost) else 0.0, rest.chance_good,
                  float(terms.labour_per_hour) / 60.0 * spent_minutes + spent_parts)


def chance_of_loss(rest: RestOfJob, terms: Terms, currency: Currency, asked: Decimal, spent_minutes: float = 0.0,
                   spent_parts: float = 0.0) -> float:
    """At a price that was said already, with what is known now."""
    cost = costs_of(rest, terms, spent_minutes, spent_parts)
    income = np.where(rest.good, float(currency.kept_of(asked)), float(currency.kept_of(terms.not_repaired)))
    return float((income < cost - 1e-9).mean()) if len(cost) else 0.0


ASK_AGAIN_LOSS, ASK_AGAIN_GOOD, ASK_AGAIN_COST = 0.25, 0.3, 1.15
"""Rise of the chance of loss, and fall of the chance of a good end, from which the owner is asked again: a quarter of
such jobs would lose, or three in ten owners would hear of another end than they agreed to. A rise of the chance of loss
counts only where the job has become dearer by so much: a quick forecast and a full one differ by less."""


def ask_again(then_loss: float, then_good: float, now_loss: float, now_good: float, dearer: float) -> str:
    """Why the owner should be asked again; empty where the quote still stands. dearer: the middle of what the job costs
    now over what it was then."""
    if now_good <= then_good - ASK_AGAIN_GOOD:
        return tr("A good end is much less likely than when the price was said.")
    if now_loss >= then_loss + ASK_AGAIN_LOSS and dearer >= ASK_AGAIN_COST:
        return tr("The job is likely to cost more than the price that was said.")
    return ""
