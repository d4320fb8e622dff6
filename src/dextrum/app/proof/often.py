"""How often something shows, as people say it: '1 in 5', '20 %', 'every 10 min', with what brings it on."""

from __future__ import annotations

import re

from dextrum.core.job import JobFacts
from dextrum.core.proof.tries import minutes_wanted, tries_left, tries_wanted
from dextrum.core.trail import ComesAndGoes
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

_NUMBER = r"(\d+(?:[.,]\d+)?)"
_WAYS = ((re.compile(rf"{_NUMBER}\s*(?:in|of|out of|von|aus|/)\s*{_NUMBER}", re.I), "ratio"),
         (re.compile(rf"{_NUMBER}\s*%"), "percent"),
         (re.compile(rf"(?:every|once in|each|alle|einmal in|je)\s*{_NUMBER}\s*"
                     r"(min|minutes?|minuten|h|hours?|std|stunden?)\b", re.I), "time"),
         (re.compile(r"(?:every|once in an?|each|jede|einmal je)\s*(hour|stunde)\b", re.I), "hour"))


def parse_often(check: str, text: str) -> ComesAndGoes:
    """What is typed, as an entry; the rest of it is what brings it on. Raises EntryRefusedError."""
    for pattern, way in _WAYS:
        found = pattern.search(text)
        if found is None:
            continue
        words = " ".join((text[:found.start()] + text[found.end():]).split()).strip(" ,;:.")
        numbers = [float(one.replace(",", ".")) for one in found.groups() if re.fullmatch(_NUMBER, one)]
        try:
            if way == "ratio" and numbers[1] > 0.0:
                return ComesAndGoes(check, shows=numbers[0] / numbers[1], words=words)
            if way == "percent":
                return ComesAndGoes(check, shows=numbers[0] / 100.0, words=words)
            if way in ("time", "hour"):
                hours = way == "hour" or found.groups()[-1].lower().startswith(("h", "st"))
                return ComesAndGoes(check, every_minutes=(numbers or [1.0])[0] * (60.0 if hours else 1.0), words=words)
        except ValueError:
            break
    raise EntryRefusedError(tr("{text!r} says not how often.", text=text.strip()[:40]), tr("Nothing was recorded."),
                            tr("Such as 1 in 5, 20 %, or every 10 min; then what brings it on."))


def wanted_words(said: ComesAndGoes) -> str:
    """'9 tries without it make it gone with 95 %'."""
    if said.every_minutes:
        return tr("{minutes_wanted:.0f} min without it make it gone with 95 %",
                  minutes_wanted=minutes_wanted(said.every_minutes))
    count = tries_wanted(said.shows)
    return tr("{count} tr{ies} without it make{s} it gone with 95 %", count=count,
              ies="y" if count == 1 else "ies", s="s" if count == 1 else "")


def standing_words(facts: JobFacts, check: str) -> str:
    """'2 of 9 tries' beside a check of what comes and goes; else nothing."""
    left = tries_left(facts, check)
    return left.words if left is not None else ""
