"""A unit that was here before: what was done then, and how it ended."""

from __future__ import annotations

from dextrum.app.handover.results import RESULTS
from dextrum.core.job import JobFacts
from dextrum.core.trail import local_time
from dextrum.store.jobs import JobRow

MONTHS = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")
DONE = {"replace": "replaced", "reflow": "resoldered", "wire": "wired", "clean": "cleaned"}
MOST_WORKS = 4


def day_words(text: str) -> str:
    """'12 Mar 2026' of a time as the job file keeps it."""
    found = local_time(text)
    return text[:10] if found is None else f"{found.day} {MONTHS[found.month - 1]} {found.year}"


def earlier_words(rows: tuple[JobRow, ...], last: JobFacts) -> str:
    """'Here before: 12 Mar 2026, F1 replaced, repaired; 1 job before that.' rows: newest first; last: of the first."""
    if not rows:
        return ""
    done = [f"{work.part} {DONE[work.action]}" for _, work in last.reworks]
    works = ", ".join(done[:MOST_WORKS]) + (f" and {len(done) - MOST_WORKS} more" if len(done) > MOST_WORKS else "")
    more = len(rows) - 1
    before = "" if not more else f"; {more} job{'' if more == 1 else 's'} before that"
    said = filter(None, (day_words(rows[0].opened_at), works, RESULTS[rows[0].outcome]))
    return f"Here before: {', '.join(said)}{before}."


def comeback_words(now: JobFacts, then: JobFacts, minutes: float) -> str:
    """'Came back 12 days after it came in: J1 replaced then, 113 min of work. The same complaint as then.'

    minutes: of work then.
    """
    if not now.comes_back or then.opened_at is None or now.opened_at is None:
        return ""
    days = (now.opened_at - then.opened_at).days
    done = ", ".join(f"{work.part} {DONE[work.action]}" for _, work in then.reworks) or "nothing repaired"
    words = f"Came back {days} day{'' if days == 1 else 's'} after it came in: {done} then, {minutes:.0f} min of work."
    if now.intake is None or then.intake is None or not now.intake.present:
        return words
    same = set(now.intake.present) & set(then.intake.present)
    return f"{words} {'The same complaint as then.' if same else 'Another complaint than then.'}"
