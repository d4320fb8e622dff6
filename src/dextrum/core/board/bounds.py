"""Values are checked when they are made; a message names the value, and what was expected."""

from __future__ import annotations

from datetime import date, datetime

from dextrum.tongue import tr

STRICT = {"extra": "forbid"}
EXPECTED = tr("; expected ")
"""Stands between what is wrong and what was expected, in every message about a value."""


def require(value: float, low: float, high: float, what: str) -> None:
    """Raise ValueError unless low <= value <= high; written so that NaN fails too."""
    if not (low <= value <= high):
        raise ValueError(tr("{what} is {value:g}; expected {low:g} to {high:g}", what=what, value=value, low=low,
                            high=high))


def iso_date(text: str, what: str) -> None:
    """Raise ValueError unless the text is a date with the year first: 20.11.2026 may be anything."""
    try:
        date.fromisoformat(text[:10])
    except ValueError:
        raise ValueError(tr("{what} is {text!r}; expected a date like 2026-11-20", what=what, text=text[:20])) from None


def iso_time(text: str) -> None:
    """Raise ValueError unless the text is empty or an ISO date, with or without a time."""
    try:
        if text:
            datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(tr("{text!r} is not a date; expected one like 2026-05-30 16:00", text=text[:20])) from None


LONGEST_TEXT = 4000


def short_text(*texts: str) -> None:
    """Raise ValueError for a text longer than any note is."""
    for text in texts:
        if len(text) > LONGEST_TEXT:
            raise ValueError(tr("text of {count} characters; expected at most {longest_text}", count=len(text),
                                longest_text=LONGEST_TEXT))


def one_of(value: str, allowed: tuple[str, ...], what: str) -> None:
    """Raise ValueError unless the value is one of those allowed."""
    if value not in allowed:
        raise ValueError(tr("{what} is {value!r}; expected one of {allowed}", what=what, value=value,
                            allowed=", ".join(allowed)))
