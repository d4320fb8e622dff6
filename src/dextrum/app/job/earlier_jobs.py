"""A unit that was here before: what was done then, and how it ended."""

from __future__ import annotations

from dextrum.app.handover.results import RESULTS
from dextrum.app.job.trail_words import DONE
from dextrum.core.faults.trace_parts import shown_part
from dextrum.core.job import JobFacts
from dextrum.core.trail import local_time
from dextrum.core.when import dated_words
from dextrum.store.jobs import JobRow
from dextrum.tongue import tr

MOST_WORKS = 4


def day_words(text: str) -> str:
    """'12 Mar 2026' of a time as the job file keeps it."""
    found = local_time(text)
    return text[:10] if found is None else dated_words(found.date())


def earlier_words(rows: tuple[JobRow, ...], last: JobFacts) -> str:
    """'Here before: 12 Mar 2026, F1 replaced, repaired; 1 job before that.' rows: newest first; last: of the first."""
    if not rows:
        return ""
    done = [f"{shown_part(work.part)} {DONE[work.action]}" for _, work in last.reworks]
    works = ", ".join(done[:MOST_WORKS]) + (tr(" and {count} more",
                                               count=len(done) - MOST_WORKS) if len(done) > MOST_WORKS else "")
    more = len(rows) - 1
    before = "" if not more else tr("; {more} job{s} before that", more=more, s="" if more == 1 else "s")
    said = filter(None, (day_words(rows[0].opened_at), works, RESULTS[rows[0].outcome]))
    return tr("Here before: {said}{before}.", said=", ".join(said), before=before)


def comeback_words(now: JobFacts, then: JobFacts, minutes: float) -> str:
    """'Came back 12 days after it came in: J1 replaced then, 113 min of work. The same complaint as then.'

    minutes: of work then.
    """
    if not now.comes_back or then.opened_at is None or now.opened_at is None:
        return ""
    days = (now.opened_at - then.opened_at).days
    repairs = [f"{shown_part(work.part)} {DONE[work.action]}" for _, work in then.reworks]
    done = ", ".join(repairs) or tr("nothing repaired")
    words = tr("Came back {days} day{s} after it came in: {done} then, {minutes:.0f} min of work.", days=days,
               s="" if days == 1 else "s", done=done, minutes=minutes)
    if now.intake is None or then.intake is None or not now.intake.present:
        return words
    same = set(now.intake.present) & set(then.intake.present)
    return f"{words} {tr('The same complaint as then.') if same else tr('Another complaint than then.')}"
