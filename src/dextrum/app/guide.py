"""The guide that ships with the program: its pages, and where words are found in them."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cache
from html import unescape
from pathlib import Path

from dextrum.app.places import shipped
from dextrum.tongue import ENGLISH, spoken

PAGES = ("index", "first-half-hour", "intake", "supply", "port", "board", "teardown", "rework", "proof", "photos",
         "handover", "library", "day", "stock", "money", "suspects", "capture", "instruments", "holds", "packs", "data",
         "words")
"""In the order in which they are read. A view's page has the view's name."""
AROUND = 40
"""Letters shown before and after a word that was found."""


@dataclass(frozen=True)
class Found:
    """page: its name; words: the text round the place."""

    page: str
    title: str
    words: str


def folder(language: str = "") -> Path:
    """The pages in a language, that of this process where none is named; in English where it has none."""
    told = language or spoken()
    there = shipped() / "guide" / told
    return shipped() / "guide" if told == ENGLISH or not there.is_dir() else there


@cache
def page_text(page: str) -> tuple[str, str]:
    """Title and plain text of a page."""
    html = (folder() / f"{page}.html").read_text(encoding="utf-8")
    title = re.search(r"<title>(.*?)</title>", html, re.DOTALL)
    body = re.sub(r"<head>.*?</head>|<a href=\"index.html\">.*?</a>", " ", html, flags=re.DOTALL)
    return unescape(title[1]) if title else page, " ".join(unescape(re.sub(r"<[^>]+>", " ", body)).split())


PAGE_OF = {"packmaking": "packs"}
"""Views whose page has another name."""


def page_of(view: str) -> str:
    """The page that belongs to a view; the contents where there is none."""
    page = PAGE_OF.get(view, view)
    return page if page in PAGES else "index"


def search(words: str) -> tuple[Found, ...]:
    """Pages that have all the words, those with one in the title first."""
    wanted = words.casefold().split()
    found: list[tuple[int, Found]] = []
    for page in PAGES:
        title, text = page_text(page)
        lower = text.casefold()
        if wanted and page != "index" and all(word in lower for word in wanted):
            at = lower.index(wanted[0])
            begin = max(0, at - AROUND)
            shown = ("… " if begin else "") + text[begin:at + len(wanted[0]) + AROUND] + " …"
            found.append((0 if any(word in title.casefold() for word in wanted) else 1, Found(page, title, shown)))
    return tuple(one for _, one in sorted(found, key=lambda pair: pair[0]))
