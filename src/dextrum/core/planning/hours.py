"""When hands are there: the shop's week with its breaks and days off, as minutes from now.

Times of the week are of the wall clock; minutes are counted by the true time between them, so that a night in which
clocks change is an hour longer or shorter and no working hour is lost.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta

from dextrum.core.board.bounds import STRICT, iso_date
from dextrum.core.planning.steps import Hours
from dextrum.tongue import tr

DAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
HORIZON_DAYS = 14
OFFICE = (("09:00", "12:30"), ("13:15", "17:30"))


@dataclass(frozen=True)
class ShopWeek:
    """hours: for each weekday the windows from one wall clock time to another, in order. days_off: ISO dates.
    last_post: wall clock time by which a parcel must be handed in, on days with hours; empty where nothing is posted.
    post_days: days from then until it is there."""

    __pydantic_config__ = STRICT
    hours: tuple[tuple[tuple[str, str], ...], ...] = (OFFICE, OFFICE, OFFICE, OFFICE, OFFICE, (), ())
    days_off: tuple[str, ...] = ()
    last_post: str = "16:30"
    post_days: int = 1

    def __post_init__(self) -> None:
        if len(self.hours) != 7:
            raise ValueError(tr("{count} days; expected seven, from Monday", count=len(self.hours)))
        for name, windows in zip(DAYS, self.hours, strict=True):
            last = time(0, 0)
            for begin, end in windows:
                first, then = clock_time(begin), clock_time(end)
                if not last <= first < then:
                    raise ValueError(tr("{name} {begin}-{end}; expected windows in order, each ending after it "
                                        "begins", name=name, begin=begin, end=end))
                last = then
        for day in self.days_off:
            iso_date(day, tr("a day off"))
        if self.last_post:
            clock_time(self.last_post)
        if not 0 <= self.post_days <= 30:
            raise ValueError(tr("post_days is {post_days}; expected 0 to 30", post_days=self.post_days))

    def of_day(self, day: date) -> tuple[tuple[str, str], ...]:
        return () if day.isoformat() in self.days_off else self.hours[day.weekday()]


def clock_time(text: str) -> time:
    """Raises ValueError for what is no time of day. 24:00 is none: windows end by 23:59."""
    try:
        found = time.fromisoformat(text.strip())
    except ValueError:
        raise ValueError(tr("{text!r} is no time of day; expected one like 09:00", text=text[:10])) from None
    return found.replace(second=0, microsecond=0, tzinfo=None)


def parse_windows(text: str) -> tuple[tuple[str, str], ...]:
    """'9-12:30, 13:15-17:30', or nothing for a day without hours. Raises ValueError."""
    found = []
    for piece in text.replace("\u2013", "-").replace(";", ",").split(","):
        if not piece.strip():
            continue
        begin, minus, end = piece.partition("-")
        if not minus:
            raise ValueError(tr("{piece!r} is no window; expected one like 9:00-12:30", piece=piece.strip()[:20]))
        found.append((_full(begin), _full(end)))
    return tuple(found)


def _full(text: str) -> str:
    plain = text.strip().replace(".", ":")
    hour, _, minute = plain.partition(":")
    if not hour.isdigit() or (minute and not minute.isdigit()):
        raise ValueError(tr("{plain!r} is no time of day; expected one like 9:00", plain=plain[:10]))
    return clock_time(f"{int(hour):02d}:{int(minute or 0):02d}").strftime("%H:%M")


ToUtc = Callable[[datetime], datetime]
"""From a wall clock time of the bench, without a zone, to UTC."""


def bench_clock(wall: datetime) -> datetime:
    """By the zone the machine is in. A time that a clock change skips is taken as an hour later, one that comes twice
    as the first."""
    return wall.astimezone(UTC)


def minutes_until(moment: datetime, now: datetime) -> float:
    """True minutes; both with a zone."""
    return (moment - now).total_seconds() / 60.0


def hours_from(week: ShopWeek, now: datetime, to_utc: ToUtc = bench_clock, longer: float = 0.0,
               days: int = HORIZON_DAYS) -> Hours:
    """Windows of the next days from now on. now: with a zone. longer: minutes that hands stay today past the last
    window."""
    here = now.astimezone()
    found: list[tuple[float, float]] = []
    for ahead in range(days):
        day = here.date() + timedelta(days=ahead)
        windows = week.of_day(day)
        for place, (begin, end) in enumerate(windows):
            first = minutes_until(to_utc(datetime.combine(day, clock_time(begin))), now)
            then = minutes_until(to_utc(datetime.combine(day, clock_time(end))), now)
            if ahead == 0 and place == len(windows) - 1:
                then += longer
            first = max(first, 0.0, found[-1][1] if found else 0.0)
            if then > first:
                found.append((first, then))
    return Hours(tuple(found))


def must_be_done(due: datetime, posted: bool, week: ShopWeek, to_utc: ToUtc = bench_clock) -> datetime:
    """By when a unit must be ready so that it is back in time: its promise, or the last post so many days before it on
    a day with hours. due: a wall clock time; the answer is UTC."""
    if not posted or not week.last_post:
        return to_utc(due)
    day = due.date() - timedelta(days=week.post_days)
    for back in range(HORIZON_DAYS):
        tried = day - timedelta(days=back)
        if week.of_day(tried):
            return min(to_utc(datetime.combine(tried, clock_time(week.last_post))), to_utc(due))
    return to_utc(datetime.combine(day, clock_time(week.last_post)))

