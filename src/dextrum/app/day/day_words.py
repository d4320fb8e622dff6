"""The day in words: what it means, what is at risk, what would save it; the list of steps as plain rows."""

from __future__ import annotations

from datetime import date, datetime, timedelta

from dextrum.app.day.day_plan import DayPlanned, Promise, RibbonItem
from dextrum.app.money.quotes import percent
from dextrum.core.when import DAYS, clock_words, short_day_words
from dextrum.tongue import tr

SURELY = 0.995
"""Chance from which a promise will be broken, in plain words."""


def soon_words(at: datetime, today: date) -> str:
    """'14:05', or with the day in front where it isn't today."""
    here = at.astimezone()
    words = clock_words(here)
    return words if here.date() == today else f"{short_day_words(here.date(), today)} {words}"


def hands_words(item: RibbonItem, today: date) -> str:
    """'13:15–14:13', or '17:21–Fri 09:03' over the night."""
    begin, end = item.begin.astimezone(), item.end.astimezone()
    last = clock_words(end) if end.date() == begin.date() else f"{DAYS[end.weekday()]} {clock_words(end)}"
    if today < begin.date() < today + timedelta(days=len(DAYS)):
        return f"{DAYS[begin.weekday()]} {clock_words(begin)}\u2013{last}"
    return f"{soon_words(item.begin, today)}\u2013{last}"


def saving_words(promise: Promise) -> str:
    """What would save a promise that is at risk."""
    saved = promise.saving
    if saved is None:
        return ""
    if saved.kind == "first":
        return tr("do it first")
    if saved.kind == "put off":
        return tr("do it first and put {saved_by} off", saved_by=promise.saved_by)
    if saved.kind == "longer":
        return tr("stay {minutes:.0f} min longer today", minutes=saved.minutes)
    return tr("nothing tried saves it: tell the owner")


def promise_words(promise: Promise, today: date, now: datetime | None = None) -> str:
    """'due 16:00, 18 % likely late'."""
    chance = promise.chance_late
    if now is not None and promise.due < now:
        return tr("was due {soon_words}: late already", soon_words=soon_words(promise.due, today))
    if promise.done is None:
        return tr("due {soon_words}, not within the hours planned", soon_words=soon_words(promise.due, today))
    if chance < 0.01:
        return tr("due {soon_words}", soon_words=soon_words(promise.due, today))
    if chance >= SURELY:
        return tr("due {soon_words}, will be late", soon_words=soon_words(promise.due, today))
    return tr("due {soon_words}, {percent} likely late", soon_words=soon_words(promise.due, today),
              percent=percent(chance))


def day_sentence(day: DayPlanned) -> str:
    """What the day means."""
    if not day.items and not day.waiting:
        return tr("Nothing to do: no job is open.")
    if not day.windows:
        return tr("No working hours are set for the next two weeks: nothing can be planned.")
    if not day.items:
        return tr("Nothing needs hands now: {count} wait.", count=len(day.waiting))
    first = day.items[0]
    head = tr("Now {serial}: {rstrip}.", serial=first.serial,
              rstrip=first.words.rstrip(".")) if first.begin <= day.at else (
        tr("Hands are free until {soon_words}; then {serial}.",
           soon_words=soon_words(first.begin, day.at.astimezone().date()), serial=first.serial))
    risky = day.at_risk
    if not risky:
        return tr("{head} All promises are likely to be kept.", head=head)
    worst = risky[0]
    what = saving_words(worst)
    more = tr(" and {count} more", count=len(risky) - 1) if len(risky) > 1 else ""
    return tr("{head} At risk: {serial}{more}", head=head, serial=worst.serial,
              more=more) + (f"; {what}." if what and len(risky) == 1 else ".")


def day_detail(day: DayPlanned) -> str:
    """How much there is, and how good the plan is."""
    hands = sum((end - begin).total_seconds() for item in day.items for begin, end in item.pieces) / 3600.0
    jobs = len({item.job_id for item in day.items})
    said = tr("{jobs} job{s}, {hands:.1f} h of hands", jobs=jobs, s="s" * (jobs != 1), hands=hands)
    if day.idle >= 1.0:
        said += tr(", {idle:.0f} min in which nothing can be done", idle=day.idle)
    if day.exact:
        said += tr("; no plan has less lateness")
    if day.without_pack:
        said += tr(". Without a board pack: {without_pack}", without_pack=", ".join(day.without_pack))
    return said
