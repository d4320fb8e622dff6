"""A quote for the job in hand, in words, and whether the owner should be asked again."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

from dextrum.app.money.spent import Spent
from dextrum.core.entries.quote import BASES
from dextrum.core.job import JobFacts
from dextrum.core.money.amounts import Currency
from dextrum.core.money.quoting import Basis, Priced, Terms, ask_again, chance_of_loss, price
from dextrum.core.outlook.rest_of_job import RestOfJob, span
from dextrum.core.trail import Quote
from dextrum.tongue import capital, tr, within

ANSWERS = {"accepted": tr("accepted"), "declined": tr("declined")}


@dataclass(frozen=True)
class Quoting:
    """Prices for a job as it stands, and what the last quote is worth by now. priced: by its kind, and whether it is
    rush. again: why to ask again."""

    priced: Mapping[tuple[Basis, bool], Priced]
    said: Quote | None
    answer: str
    loss_now: float
    again: str

    @property
    def fixed(self) -> Priced:
        return self.priced["fixed", False]

    @property
    def ceiling(self) -> Priced:
        return self.priced["ceiling", False]


def quoting(facts: JobFacts, rest: RestOfJob, spent: Spent, terms: Terms, currency: Currency) -> Quoting:
    """The job's prices now."""
    parts = float(spent.parts)
    kinds: tuple[Basis, ...] = ("fixed", "ceiling")
    priced = {(basis, rush): price(rest, terms, currency, basis, rush, spent.minutes, parts)
              for basis in kinds for rush in (False, True)}
    said = facts.quote
    loss = chance_of_loss(rest, terms, currency, said.price, spent.minutes, parts) if said is not None else 0.0
    open_still = said is not None and facts.outcome is None
    again = ""
    if said is not None and open_still:
        dearer = priced["fixed", False].middle / said.middle if said.middle > 0.0 else 1.0
        again = ask_again(said.loss, said.good, loss, rest.chance_good, dearer)
    return Quoting(priced, said, facts.quote_answer.answer if facts.quote_answer is not None else "", loss,
                   again)


def quote_entry(priced: Priced, asked: Decimal, loss: float, terms: Terms, rush: bool, finding: str) -> Quote:
    """What is written down. asked: the price that is said, the one worked out or another; loss: chance of it there."""
    return Quote(asked, priced.basis, terms.not_repaired, rush, round(loss, 4), round(priced.chance_good, 4),
                 round(priced.middle, 2), finding[:200])


def outlook_sentence(rest: RestOfJob) -> str:
    """'About 92 min of hands left (55–170), 20 min of waiting; 90 % likely to end well.'"""
    low, middle, high = span(rest.hands)
    waits = span(rest.waiting)[1]
    waiting = tr(", about {waits:.0f} min of waiting", waits=waits) if waits >= 1.0 else ""
    return (tr("About {middle:.0f} min of hands left ({low:.0f}–{high:.0f} in four jobs of five){waiting}; "
               "{percent} likely to end well.", middle=middle, low=low, high=high, waiting=waiting,
               percent=percent(rest.chance_good)))


def percent(chance: float) -> str:
    if 0.99 < chance < 1.0:
        return "> 99 %"
    if 0.0 < chance < 0.01:
        return "< 1 %"
    return f"{100 * chance:.0f} %"


def price_words(priced: Priced, currency: Currency) -> tuple[str, str]:
    """The price, and what stands behind it."""
    head = f"{capital(BASES[priced.basis])}: {currency.shown(priced.price)}"
    risk = tr("{percent} chance of loss, brings {about} on average", percent=percent(priced.loss),
              about=currency.about(priced.brings))
    if priced.out_of_reach:
        risk += tr("; what is charged when nothing can be repaired does not cover the work, whatever the price")
    return head, risk


def said_words(known: Quoting, currency: Currency) -> str:
    """What was quoted and what became of it; empty where nothing was."""
    if known.said is None:
        return ""
    state = ANSWERS.get(known.answer, tr("no answer yet"))
    words = tr("Quoted {currency}, {bases}: {state}.", currency=currency.shown(known.said.price),
               bases=BASES[known.said.basis], state=state)
    if known.again:
        return tr("{words} Ask again: {again}", words=words, again=within(known.again))
    return tr("{words} Chance of loss by now: {percent}.", words=words, percent=percent(known.loss_now))
