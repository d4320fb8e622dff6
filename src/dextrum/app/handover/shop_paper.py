"""What a shop's papers carry and look like: its name, address, terms, how long it stands for a repair, the paper."""

from __future__ import annotations

from dataclasses import dataclass, fields

from dextrum.errors import EntryRefusedError
from dextrum.store.jobs import JobStore
from dextrum.tongue import ENGLISH, LANGUAGES, tr

PAPERS = {"a4": "A4", "letter": tr("Letter"), "roll58": "roll, 58 mm", "roll62": "roll, 62 mm", "roll80": "roll, 80 mm"}
MOST_LETTERS, MOST_DAYS = 600, 3650
MARK_BEGINS, MOST_MARK = "data:image/png;base64,", 400_000
_KEYS = {"name": "bench", "address": "sheet.address", "terms": "sheet.terms", "days": "sheet.days",
         "paper": "sheet.paper", "mark": "sheet.mark",
         "language": "sheet.language"}


@dataclass(frozen=True)
class ShopPaper:
    """days: how long the shop stands for a repair, 0 where it doesn't say; paper: one of PAPERS; mark: its picture as
    a data URI, empty for none. language: of what an owner reads, one of LANGUAGES."""

    name: str = tr("Our bench")
    address: str = ""
    terms: str = ""
    days: int = 0
    paper: str = "a4"
    mark: str = ""
    language: str = ENGLISH


def shop_paper(store: JobStore) -> ShopPaper:
    """As it was set. Raises StoreError."""
    kept = {field.name: store.setting(_KEYS[field.name]) for field in fields(ShopPaper)}
    days = int(kept["days"]) if kept["days"].isdecimal() and len(kept["days"]) <= len(str(MOST_DAYS)) else 0
    return ShopPaper(kept["name"] or ShopPaper.name, kept["address"], kept["terms"], min(days, MOST_DAYS),
                     kept["paper"] if kept["paper"] in PAPERS else ShopPaper.paper,
                     kept["mark"] if kept["mark"].startswith(MARK_BEGINS) else "",
                     kept["language"] if kept["language"] in LANGUAGES else ENGLISH)


def set_shop_paper(store: JobStore, paper: ShopPaper) -> None:
    """Raises EntryRefusedError for what can't be, StoreError."""
    if max(len(paper.name), len(paper.address), len(paper.terms)) > MOST_LETTERS:
        raise EntryRefusedError(tr("More than {most_letters} letters.",
                                   most_letters=MOST_LETTERS), tr("Nothing was changed."), tr("Shorter, please."))
    if not 0 <= paper.days <= MOST_DAYS:
        raise EntryRefusedError(tr("{days} days can't be.",
                                   days=paper.days), tr("Nothing was changed."), tr("From 0 to {most_days}.",
                                                                                    most_days=MOST_DAYS))
    if paper.mark and not (paper.mark.startswith(MARK_BEGINS) and len(paper.mark) <= MOST_MARK):
        raise EntryRefusedError(tr("That is no picture for a sheet, or too large."), tr("Nothing was changed."),
                                tr("A PNG, JPEG or WebP."))
    if paper.paper not in PAPERS:
        raise EntryRefusedError(tr("There is no paper {paper!r}.", paper=paper.paper[:20]), tr("Nothing was changed."),
                                tr("One of {values}.", values=", ".join(PAPERS.values())))
    if paper.language not in LANGUAGES:
        raise EntryRefusedError(tr("There are no words in {language!r}.",
                                   language=paper.language[:20]), tr("Nothing was changed."),
                                tr("One of {values}.", values=", ".join(LANGUAGES.values())))
    for name, key in _KEYS.items():
        store.set_setting(key, str(getattr(paper, name)))
