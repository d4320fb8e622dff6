"""The day as files: CSV for a spreadsheet, iCalendar for a calendar (RFC 5545)."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime

from dextrum.app.day.day_plan import DayPlanned
from dextrum.store.files import plain_cell
from dextrum.tongue import tr


def day_csv(day: DayPlanned) -> str:
    """One step a row, local times; texts safe to open in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\r\n")
    writer.writerow(["serial", "what", "begin", "end", "wait_until", "setup", "due", "chance_late"])
    promises = {p.job_id: p for p in day.promises}
    for item in day.items:
        promise = promises.get(item.job_id)
        writer.writerow([plain_cell(item.serial), plain_cell(item.words), _local(item.begin), _local(item.end),
                         _local(item.until), item.setup, _local(promise.due) if promise else "",
                         f"{promise.chance_late:.2f}" if promise else ""])
    return out.getvalue()


def _local(moment: datetime) -> str:
    return moment.astimezone().strftime("%Y-%m-%d %H:%M")


def day_calendar(day: DayPlanned, bench: str) -> bytes:
    """Hands' steps as events and promises as all to be done by; times in UTC."""
    from icalendar import Calendar, Event

    calendar = Calendar()
    calendar.add("prodid", "-//Dextrum//plan of the day//EN")
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", bench)
    for number, item in enumerate(day.items):
        event = Event()
        event.add("uid", f"{item.job_id}-{number}@dextrum")
        event.add("dtstamp", day.at.astimezone(UTC))
        event.add("dtstart", item.begin.astimezone(UTC))
        event.add("dtend", item.end.astimezone(UTC))
        event.add("summary", f"{item.serial}: {item.words}")
        if item.until > item.end:
            event.add("description", tr("Then it waits until {local}.", local=_local(item.until)))
        calendar.add_component(event)
    for promise in day.promises:
        event = Event()
        event.add("uid", f"{promise.job_id}-due@dextrum")
        event.add("dtstamp", day.at.astimezone(UTC))
        event.add("dtstart", promise.due.astimezone(UTC))
        event.add("summary", tr("{serial}: ready by now", serial=promise.serial))
        calendar.add_component(event)
    return bytes(calendar.to_ical())
