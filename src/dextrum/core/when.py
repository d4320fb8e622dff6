"""Dates and times in words, in one form everywhere: the day named, the month in letters, so that neither is mistaken.

Times are the bench's own, without a zone.
"""

from __future__ import annotations

from datetime import date, datetime

DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


def day_words(day: date, today: date | None = None) -> str:
    """'today', 'tomorrow', 'yesterday', 'Fri 13 Mar', and the year where it is another one, or none is known."""
    if today is not None:
        near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get((day - today).days)
        if near:
            return near
    year = "" if today is not None and day.year == today.year else f" {day.year}"
    return f"{DAYS[day.weekday()]} {day.day} {MONTHS[day.month - 1]}{year}"


def short_day_words(day: date, today: date) -> str:
    """Where there is little room: 'today', 'yesterday', '9 Mar', '9 Mar 2025'."""
    near = {0: "today", 1: "tomorrow", -1: "yesterday"}.get((day - today).days)
    return near or f"{day.day} {MONTHS[day.month - 1]}" + ("" if day.year == today.year else f" {day.year}")


def moment_words(at: datetime, today: date | None = None) -> str:
    """'today 13:14', 'Fri 13 Mar 09:00'."""
    return f"{day_words(at.date(), today)} {at:%H:%M}"
