"""Fields of a CSV as numbers, clock times and dates, however they are written."""

from __future__ import annotations

import re
from collections.abc import Iterable
from datetime import UTC, datetime

from dextrum.tongue import tr

CLOCK = re.compile(r"^(?:\S+[ T])?(\d\d?):(\d\d)(?::(\d\d(?:[.,]\d+)?))?(?:\s*([AaPp])\.?[Mm]\.?)?$")
DAY_FIRST = re.compile(r"^(\d{1,2})[./](\d{1,2})[./](\d{4})[ T,]+(.*)$")
A_DAY = re.compile(r"^(\d{4}-\d{1,2}-\d{1,2}|\d{1,2}[./]\d{1,2}[./]\d{4})$")
"""A day alone, without a clock time."""
STARTS_WITH_DATE = re.compile(r"^(\d{4}-\d|\d{1,2}[./]\d{1,2}[./]\d{4})")
NUMBER = re.compile(r"^[+-]?(\d+[.,]?\d*|[.,]\d+)([eE][+-]?\d+)?$")
WITH_UNIT = re.compile(r"^([+-]?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d+)?)\s*([mu\u00b5\u03bc]?[VAWvaw])$")
LONGEST_FIELD = 60
"""Letters of a number or a time that anybody wrote; a longer field is looked at no further, since patterns take their
time over it."""
HALF_DAY, MOST_MONTHS = 12, 12


def parse_field(text: str, decimal_comma: bool) -> float:
    """A finite number. Raises ValueError."""
    text = text.strip()
    if len(text) > LONGEST_FIELD:
        raise ValueError(tr("{text!r}… is too long for a number", text=text[:20]))
    text = with_unit(text)[0]
    value = float(text.replace(".", "").replace(",", ".") if decimal_comma and "," in text else text)
    if value - value != 0.0:
        raise ValueError(tr("not a finite number"))
    return value


def is_number(text: str) -> bool:
    """Whether a field looks like a number, with a point or a comma, perhaps with its unit."""
    text = text.strip()
    return len(text) <= LONGEST_FIELD and bool(NUMBER.match(text) or WITH_UNIT.match(text))


def with_unit(text: str) -> tuple[str, str]:
    """A field's number and the unit written behind it, as V, mV, uA …; empty where there is none."""
    found = WITH_UNIT.match(text.strip()) if len(text) <= 2 * LONGEST_FIELD else None
    if found is None:
        return text, ""
    unit = found[2].replace("\u00b5", "u").replace("\u03bc", "u")
    return found[1], unit[:-1] + unit[-1].upper()


def is_time(text: str) -> bool:
    """Whether a field looks like a clock time, or a date with one."""
    text = text.strip()
    if len(text) > LONGEST_FIELD:
        return False
    return bool(CLOCK.match(text) or DAY_FIRST.match(text)) or ("-" in text[1:] and date_seconds(text) is not None)


def month_is_first(texts: Iterable[str]) -> bool:
    """Whether days are written month first: some second number is no month, and no first number is a day only. With
    points between, the day is always first."""
    pairs = [(int(found[1]), int(found[2])) for text in texts
             if "/" in text and (found := re.match(r"\s*(\d{1,2})/(\d{1,2})/\d{4}", text))]
    return any(second > MOST_MONTHS for _, second in pairs) and not any(first > MOST_MONTHS for first, _ in pairs)


def date_seconds(text: str, month_first: bool = False) -> float | None:
    """Seconds of a date with time; one that says its zone is taken at its own, others as they stand. None when it is
    none. month_first: how 3/4/2026 is meant."""
    text = text.strip()
    if len(text) > LONGEST_FIELD:
        return None
    half = re.search(r"\s*([AaPp])\.?[Mm]\.?$", text)
    if half:
        # The clock is put on twelve hours more by itself, since dates know 24 hours only.
        morning = date_seconds(text[:half.start()], month_first)
        twelve_hour = CLOCK.match(text)
        if morning is None or twelve_hour is None:
            return None
        hour = int(twelve_hour[1])
        return morning + 3600.0 * (hour % HALF_DAY + (HALF_DAY if half[1] in "pP" else 0) - hour)
    day_first = DAY_FIRST.match(text)
    if day_first:
        day, month, year, rest = day_first.groups()
        if month_first and "/" in text:
            day, month = month, day
        clock = rest.strip()
        text = f"{year}-{int(month):02d}-{int(day):02d}T{'0' if clock[1:2] == ':' else ''}{clock}"
    try:
        found = datetime.fromisoformat(text.replace(",", "."))
    except ValueError:
        return None
    if found.tzinfo is not None:
        found = found.astimezone(UTC).replace(tzinfo=None)
    return (found - datetime(2000, 1, 1)).total_seconds()


def clock_seconds(text: str) -> float:
    """Seconds since midnight. Raises ValueError."""
    match = CLOCK.match(text.strip()) if len(text) <= 2 * LONGEST_FIELD else None
    if match is None:
        raise ValueError(tr("{text!r} is not a clock time", text=text[:20]))
    hours, minutes, seconds, half = match.groups()
    if half:
        hours = str(int(hours) % HALF_DAY + (HALF_DAY if half in "pP" else 0))
    return int(hours) * 3600.0 + int(minutes) * 60.0 + float((seconds or "0").replace(",", "."))
