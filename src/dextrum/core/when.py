"""Dates and times in words, in one form everywhere: the day named, the month in letters, so that neither is mistaken.

Times are the bench's own, without a zone. The order of day and month and the clock follow the user's region, which is
said once, at the start of the program.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time

from dextrum.core.saying import Say, plain
from dextrum.tongue import tr

DAYS = (tr("Mon"), tr("Tue"), tr("Wed"), tr("Thu"), tr("Fri"), tr("Sat"), tr("Sun"))
MONTHS = (
    tr("Jan"),
    tr("Feb"),
    tr("Mar"),
    tr("Apr"),
    tr("May"),
    tr("Jun"),
    tr("Jul"),
    tr("Aug"),
    tr("Sep"),
    tr("Oct"),
    tr("Nov"),
    tr("Dec"),
)
MONTHS_IN_FULL = (
    tr("January"), tr("February"), tr("March"), tr("April"), tr("May"), tr("June"), tr("July"), tr("August"),
    tr("September"), tr("October"), tr("November"), tr("December"))


@dataclass(frozen=True)
class DateForm:
    """month_first: 'Mar 13' for '13 Mar'; twelve_hours: '2:05 pm' for '14:05'."""

    month_first: bool = False
    twelve_hours: bool = False


_form = DateForm()


def use_form(form: DateForm) -> None:
    """The form of the user's region, from now on and for the whole program."""
    global _form
    _form = form


def month_words(day: date) -> str:
    """'March 2026'."""
    return f"{MONTHS_IN_FULL[day.month - 1]} {day.year}"


def clock_words(at: datetime | time) -> str:
    """'14:05', or '2:05 pm'."""
    if not _form.twelve_hours:
        return f"{at:%H:%M}"
    return f"{at.hour % 12 or 12}:{at.minute:02d} {'am' if at.hour < 12 else 'pm'}"


def _day_and_month(day: date, say: Say) -> str:
    month = say(MONTHS[day.month - 1])
    return say("{month} {day}", month=month, day=day.day) if _form.month_first else \
        say("{day} {month}", month=month, day=day.day)


def day_words(day: date, today: date | None = None, say: Say = plain) -> str:
    """'today', 'tomorrow', 'yesterday', 'Fri 13 Mar', and the year where it is another one, or none is known."""
    if today is not None:
        near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get((day - today).days)
        if near:
            return say(near)
    year = "" if today is not None and day.year == today.year else f" {day.year}"
    return f"{say(DAYS[day.weekday()])} {_day_and_month(day, say)}{year}"


def short_day_words(day: date, today: date) -> str:
    """Where there is little room: 'today', 'yesterday', '9 Mar', '9 Mar 2025'."""
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get((day - today).days)
    return plain(near) if near else _day_and_month(day, plain) + ("" if day.year == today.year else f" {day.year}")


def dated_words(day: date) -> str:
    """Of what is long past, whatever today is: '9 Mar 2025'."""
    return f"{_day_and_month(day, plain)} {day.year}"


def moment_words(at: datetime, today: date | None = None, say: Say = plain) -> str:
    """'today 13:14', 'Fri 13 Mar 09:00'."""
    return f"{day_words(at.date(), today, say)} {clock_words(at)}"
