"""Everything the money view shows of the job in hand, computed beside the window."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal

from dextrum.app.advising.assess import Assessment
from dextrum.app.advising.suspect_words import suspect_words
from dextrum.app.library.library import PackLibrary
from dextrum.app.money.quotes import Quoting, percent, quote_entry, quoting
from dextrum.app.money.spent import Spent, prices_of, spent_on, terms_of
from dextrum.app.outlook.outlook import outlook_of
from dextrum.app.stock.taking import lots_of
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.money.amounts import NOTHING, Currency
from dextrum.core.money.quoting import Basis, Terms, chance_of_loss
from dextrum.core.money.worth import AnotherHour, another_hour
from dextrum.core.outlook.rest_of_job import RestOfJob, span
from dextrum.core.trail import Entry, Quote
from dextrum.store.jobs import JobStore
from dextrum.store.shop_settings import currency
from dextrum.tongue import tr

LEAST_FOUND = 0.05
"""Chance of a part from which a quote names it as what was found."""


@dataclass(frozen=True)
class JobPrices:
    """rest: the plays, of the whole advice where `rest.full`. quick: the middle of hands by the quick policy, for
    saying how far it was from the whole advice. hour: where the unit is the shop's own."""

    serial: str
    rest: RestOfJob
    quick: float
    spent: Spent
    terms: Terms
    money: Currency
    quoting: Quoting
    hour: AnotherHour | None
    finding: str

    def quote(self, basis: Basis, rush: bool = False, asked: Decimal | None = None) -> Quote:
        """What is written down of a price that is said: the one worked out, or another."""
        priced = self.quoting.priced[basis, rush]
        price = priced.price if asked is None else asked
        loss = chance_of_loss(self.rest, self.terms, self.money, price, self.spent.minutes, float(self.spent.parts))
        return quote_entry(priced, price, loss, self.terms, rush, self.finding)


def job_prices(store: JobStore, library: PackLibrary, done: Assessment, trail: tuple[Entry, ...], meter: str,
               full: RestOfJob | None = None) -> JobPrices:
    """full: plays by the whole advice, in place of the quick policy's. Raises StoreError."""
    facts = done.facts
    model = library.advice_model(facts.pack_id, meter)
    quick = outlook_of(model, done)
    rest = full if full is not None and full.plays else quick
    board = model.model.board
    spent = spent_on(trail, board, lots_of(store).lots, prices_of(store, facts.pack_id))
    terms, money = terms_of(store), currency(store)
    if facts.intake is None or not facts.intake.posted:
        terms = replace(terms, postage=NOTHING)
    own = facts.own_unit
    hour = another_hour(rest, terms.labour_per_hour, own.repaired, own.as_donor) if own is not None else None
    lead = next((part for part in done.parts if part.chance >= LEAST_FOUND), None)
    finding = "" if lead is None else f"{shown_part(lead.part)} {suspect_words(board, lead)}, {percent(lead.chance)}"
    return JobPrices(facts.serial, rest, span(quick.hands)[1], spent, terms, money,
                     quoting(facts, rest, spent, terms, money), hour, finding)


def hour_words(hour: AnotherHour, money: Currency) -> str:
    """'One more hour is expected to bring 38 €: go on (81 % sure; 62 % done by then)'."""
    what = tr("go on") if hour.pays else tr("stop: it is worth more as a donor")
    return (tr("One more hour is expected to bring {about}: {what}. To the end: {about2}, better than stopping in "
               "{percent} of cases; {percent2} done within the hour.", about=money.about(hour.hour), what=what,
               about2=money.about(hour.gain), percent=percent(hour.sure), percent2=percent(hour.done_by_then)))


def parts_words(rest: RestOfJob, most: int = 4) -> str:
    """'Parts likely needed: U1 92 %, J1 6 %'."""
    likely = [(part, chance) for part, chance in rest.chance_of_part().items() if chance >= 0.02][:most]
    return (
        tr("Parts likely needed: ") + ", ".join(f"{part} {percent(chance)}" for part, chance in likely)
        if likely
        else ""
    )


def quality_words(prices: JobPrices) -> str:
    """How good the forecast is: by the quick policy, or by so many plays of the whole advice and how far apart they
    are."""
    if not prices.rest.full:
        return tr("Quick forecast. Play it through for one by the whole advice.")
    middle = span(prices.rest.hands)[1]
    apart = 100.0 * (prices.quick / max(middle, 1.0) - 1.0)
    said = tr("as the quick forecast") if abs(apart) < 5.0 else tr("the quick forecast was {apart:.0f} % ",
                                                                   apart=abs(apart)) + (
        tr("higher") if apart > 0 else tr("lower"))
    return tr("By {plays} plays of the whole advice; {said}.", plays=prices.rest.plays, said=said)


def spent_words(prices: JobPrices) -> str:
    """'So far 42 min of hands and 7.50 of parts: 41.10'."""
    money = prices.money
    return (tr("So far {minutes:.0f} min of hands and {money} of parts: {money2}.", minutes=prices.spent.minutes,
               money=money.shown(prices.spent.parts), money2=money.shown(prices.spent.cost(prices.terms))))

