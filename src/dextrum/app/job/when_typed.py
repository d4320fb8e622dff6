"""A time as people type it: 'Fri 17:00', 'in 2 days', '+90 min', '12 Mar', '2026-03-12 16:00'."""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

from dextrum.core.when import DAYS, MONTHS, day_words, moment_words
from dextrum.errors import EntryRefusedError
from dextrum.tongue import english, tr

EXAMPLES = tr("Fri 17:00, in 2 days, +90 min, 12 Mar or 2026-03-12 16:00")
NOON_OF_SAME = time(0, 0)
MOST_AHEAD = timedelta(days=3660)
"""Ten years: beyond it a slip of the finger is likelier than a wish."""
UNITS = {"min": "minutes", "minute": "minutes", "minutes": "minutes", "m": "minutes", "h": "hours", "hour": "hours",
         "hours": "hours", "day": "days", "days": "days", "d": "days", "week": "weeks", "weeks": "weeks", "w": "weeks",
         "minuten": "minutes", "std": "hours", "stunde": "hours", "stunden": "hours", "tag": "days", "tage": "days",
         "tagen": "days", "t": "days", "woche": "weeks", "wochen": "weeks"}
"""In every language of the window."""
NEAR = {"": 0, "today": 0, "tomorrow": 1, "yesterday": -1, "heute": 0, "morgen": 1, "gestern": -1}
_AHEAD = re.compile(r"(?:in\s+|\+\s*)(\d{1,6})\s*([a-z]*)")
_CLOCK = re.compile(r"(\d{1,2})(?:[:.](\d{2})|\s*h)")
_DAY_MONTH = re.compile(r"(\d{1,2})\.?\s*([^\W\d_]{3})[^\W\d_]*\.?(?:\s+(\d{4}))?")
_MONTH_DAY = re.compile(r"([^\W\d_]{3})[^\W\d_]*\.?\s+(\d{1,2})(?:,?\s+(\d{4}))?")
_HALF_DAY = re.compile(r"\b(1[0-2]|0?[1-9])(?:[:.](\d{2}))?\s*([ap])\.?m\b\.?")
"""'2:05 pm': as a region with a clock of twelve hours is shown it."""
_DOTTED = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})?")


@dataclass(frozen=True)
class When:
    """A day, with its time where one was said."""

    day: date
    clock: time | None = None

    @property
    def at(self) -> datetime:
        return datetime.combine(self.day, self.clock or NOON_OF_SAME)

    def as_written(self) -> str:
        """For an entry: ISO, with the time where one was said."""
        return self.day.isoformat() if self.clock is None else self.at.strftime("%Y-%m-%dT%H:%M")

    def words(self, today: date) -> str:
        """As it is shown back."""
        return day_words(self.day, today) if self.clock is None else moment_words(self.at, today)


def _refused(text: str) -> EntryRefusedError:
    return EntryRefusedError(tr("{text!r} is not a date or a time.",
                                text=text.strip()[:20]), tr("Nothing was recorded."),
                             tr("Type {examples}.", examples=EXAMPLES))


def _day(text: str, today: date) -> date | None:
    """The day of a text without its time; None where it is none. A weekday is the next one that comes."""
    if text in NEAR:
        return today + timedelta(days=NEAR[text])
    named, _, dated = text.partition(" ")
    for place, name in enumerate(DAYS):
        names = {name.casefold(), english(name).casefold()}
        if named.isalpha() and len(named) >= 2 and any(one.startswith(named) or named.startswith(one) for one in names):
            # 'Fri 13 Mar' is that day; 'Fri' alone the next Friday.
            return _day(dated, today) if dated else today + timedelta(days=(place - today.weekday()) % 7 or 7)
    try:
        if re.fullmatch(r"\d{4}-\d{2}-\d{2}", text):
            return date.fromisoformat(text)
        found = _DAY_MONTH.fullmatch(text)
        months = {said.casefold()[:3]: number for number, month in enumerate(MONTHS, start=1)
                  for said in (month, english(month))}
        if found is not None and found[2] in months:
            return _this_year_or_next(int(found[1]), months[found[2]], found[3], today)
        found = _MONTH_DAY.fullmatch(text)
        if found is not None and found[1] in months:
            return _this_year_or_next(int(found[2]), months[found[1]], found[3], today)
        found = _DOTTED.fullmatch(text)
        if found is not None:
            return _this_year_or_next(int(found[1]), int(found[2]), found[3], today)
    except ValueError:
        return None
    return None


def _this_year_or_next(day: int, month: int, year: str | None, today: date) -> date:
    """Without a year: the next such day, or one that was just now (a month back at most)."""
    if year:
        return date(int(year), month, day)
    this = date(today.year, month, day)
    return this if this >= today - timedelta(days=31) else date(today.year + 1, month, day)


def parse_when(text: str, now: datetime) -> When:
    """The day and the time that a text means. now: in the bench's zone. A time alone is today's, or tomorrow's where it
    is past. Days are before months in '12.3.'; '3/12' is refused, since it means two days. Raises EntryRefusedError."""
    here, wanted = now.replace(tzinfo=None, second=0, microsecond=0), " ".join(text.casefold().split())
    wanted = _HALF_DAY.sub(lambda half: f"{int(half[1]) % 12 + (12 if half[3] == 'p' else 0):02d}:{half[2] or '00'}",
                           wanted)
    ahead = _AHEAD.fullmatch(wanted)
    if ahead is not None and (ahead[2] or "min") in UNITS:
        unit = UNITS[ahead[2] or "min"]
        step = timedelta(**{unit: int(ahead[1])})
        if step > MOST_AHEAD:
            raise _refused(text)
        return When((here + step).date(), (here + step).time() if unit in ("minutes", "hours") else None)
    clock: time | None = None
    rest = wanted.replace("t", " ", 1) if re.fullmatch(r"\d{4}-\d{2}-\d{2}t\d{2}:\d{2}", wanted) else wanted
    head, _, tail = rest.rpartition(" ")
    found = _CLOCK.fullmatch(tail.removeprefix("at").removeprefix("um"))
    if found is not None and not _DOTTED.fullmatch(tail):
        try:
            clock = time(int(found[1]), int(found[2] or 0))
        except ValueError:
            raise _refused(text) from None
        rest = head.removesuffix(" at").removesuffix(" um").rstrip(",")
    day = _day(rest.rstrip(","), here.date())
    if day is None or not wanted or not 1990 <= day.year <= 2200:
        raise _refused(text)
    if not rest and clock is not None and datetime.combine(day, clock) <= here:
        day += timedelta(days=1)
    return When(day, clock)
