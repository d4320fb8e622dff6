"""The shelf by what needs hands now: jobs that can be worked on by their promises, then those that wait by when they
end; nothing is left out."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime

from dextrum.core.trail import local_time
from dextrum.store.jobs import JobRow

NEVER = datetime.max


def hands_first(rows: Iterable[JobRow], now: datetime) -> tuple[JobRow, ...]:
    """rows: newest first, as those without a promise stay, after those with one. now: with the bench's zone. A wait
    that is over needs hands; one without a time comes last."""
    here = now.replace(tzinfo=None)

    def key(row: JobRow) -> tuple[int, datetime]:
        until = local_time(row.waits_until)
        if row.outcome:
            return 3, NEVER
        if row.waits_for and (until is None or until > here):
            return (1, until) if until is not None else (2, NEVER)
        return 0, local_time(row.due) or NEVER

    return tuple(sorted(rows, key=key))
