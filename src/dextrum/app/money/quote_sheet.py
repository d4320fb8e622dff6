"""A quote as a sheet for the owner: the price, what it holds, what happens when nothing can be repaired."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from dextrum.app.handover.handover import sheet_html
from dextrum.app.handover.shop_paper import ShopPaper
from dextrum.core.job import JobFacts
from dextrum.core.money.amounts import Currency
from dextrum.core.saying import Say, plain
from dextrum.core.when import day_words
from dextrum.errors import EntryRefusedError
from dextrum.tongue import ENGLISH, tr

BASIS_WORDS = {"fixed": tr("Fixed price for the repair, whatever it takes."),
               "ceiling": tr("You pay what it takes, and never more than this.")}


@dataclass(frozen=True)
class QuoteSheet:
    """Everything on it, as text. rests_on: what was looked at by then, in words an owner knows."""

    bench: str
    address: str
    mark: str
    terms: str
    serial: str
    model: str
    written: str
    who: str
    complaint: str
    price: str
    basis: str
    tax: str
    lines: tuple[str, ...]
    not_repaired: str
    rests_on: str


def quote_sheet(facts: JobFacts, paper: ShopPaper, money: Currency, who: str, now: datetime,
                say: Say = plain) -> QuoteSheet:
    """Of the quote that was said last, in the owner's language. Raises EntryRefusedError where none was."""
    quote = facts.quote
    if quote is None:
        raise EntryRefusedError(
            tr("No price was said for this unit yet."), tr("Nothing was written."), tr("Quote it first.")
        )
    lines = []
    if facts.intake is not None and facts.intake.posted:
        lines.append(say("Postage back is included."))
    if quote.rush:
        lines.append(say("It is done ahead of others, as you wished."))
    tax = ""
    if money.tax_percent:
        amount = money.shown(money.tax_in(quote.price))
        tax = say(tr("Includes {percent} % tax ({amount}).") if money.included else tr("Without {percent} % tax "
                                                                                       "({amount})."),
                  percent=money.tax_percent, amount=amount)
    fee = money.shown(quote.not_repaired)
    return QuoteSheet(paper.name, paper.address, paper.mark, paper.terms, facts.serial, facts.model,
                      day_words(now.astimezone().date(), say=say), who, facts.intake.complaint if facts.intake else "",
                      money.shown(quote.price), say(BASIS_WORDS[quote.basis]), tax, tuple(lines),
                      say("You pay {fee} for our work.", fee=fee) if quote.not_repaired else say("You pay nothing."),
                      _rests_on(facts, say))


def _rests_on(facts: JobFacts, say: Say) -> str:
    """What was done by then, without the bench's codes."""
    done = []
    if facts.look is not None:
        done.append(say("We looked into the port"))
    if facts.supplies:
        done.append(say("We measured what the unit draws from a supply"))
    if facts.readings:
        done.append(say("We took {count} readings", count=len(facts.readings)))
    if facts.epoch:
        done.append(say("We worked on the board"))
    if not done:
        return say("On what you told us; the unit has not been measured yet.")
    return " ".join(f"{one}." for one in done)


def quote_html(sheet: QuoteSheet, language: str = ENGLISH) -> str:
    """HTML with everything escaped."""
    return sheet_html(sheet, "quote.html", language)
