"""A unit's label and the code on it: what a scanner types in the window opens the job.

The code holds decimal digits after a prefix of letters that lie alike on the usual keyboards, so that a scanner set to
another country's keyboard types the same. No key by itself begins like it in any view.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from dextrum.app.handover.results import RESULTS
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.when import day_words, moment_words
from dextrum.tongue import tr

PREFIX = "JDX"
HEX_DIGITS = 12
"""Of a job's id, 48 bits: among a million jobs two are alike with a chance of 0.2 %, and then neither is opened."""
_CODE = re.compile(rf"{PREFIX}(\d{{1,15}})", re.IGNORECASE)
GOOD_FROM = 0.95
"""A part of a donor is called likely good from this chance on."""
MOST_GOOD = 8


@dataclass(frozen=True)
class Label:
    """lines: from large to small."""

    code: str
    serial: str
    lines: tuple[str, ...]


def code_of(job_id: str) -> str:
    """What stands in the code of a job's label. Raises ValueError for an id that is none."""
    return f"{PREFIX}{int(job_id.replace('-', '')[:HEX_DIGITS], 16):015d}"


def id_begins(typed: str) -> str:
    """The beginning of the id of the job that a code names; empty for what is no code."""
    found = _CODE.fullmatch(typed.strip())
    return f"{int(found[1]):0{HEX_DIGITS}x}" if found and int(found[1]) < 16**HEX_DIGITS else ""


def good_parts(board: Board, chances: Mapping[str, float]) -> tuple[str, ...]:
    """What a donor still holds, dearest first. chances: that something is wrong with each part."""
    worth = [part for part in board.components if part.price > 0.0 and not part.undescribed
             and 1.0 - chances.get(part.designator, 0.0) >= GOOD_FROM]
    dearest = sorted(worth, key=lambda part: -part.price)[:MOST_GOOD]
    return tuple(f"{part.designator} {part.purpose}" for part in dearest)


def label_of(job_id: str, facts: JobFacts, good: Sequence[str] = ()) -> Label:
    """good: what is good on it, for a donor."""
    lines = [facts.model]
    if facts.outcome is not None and facts.outcome.result == "donor":
        measured = bool(facts.shown_readings or facts.supplies or facts.proofs)
        lines.append(tr("Donor. ") + (tr("Likely good: {good}", good=", ".join(good)) if measured and good else
                                  tr("Nothing on it is known to be good")))
    elif facts.outcome is not None:
        lines.append(tr("Closed: {result}", result=RESULTS.get(facts.outcome.result, facts.outcome.result)))
    elif facts.intake is not None and facts.intake.due:
        lines.append(tr("Due {due_words}", due_words=_due_words(facts.intake.due)))
    if facts.opened_at is not None:
        lines.append(tr("Came in {day_words}", day_words=day_words(facts.opened_at.astimezone().date())))
    return Label(code_of(job_id), facts.serial, tuple(lines))


def _due_words(due: str) -> str:
    from dextrum.core.trail import local_time

    at = local_time(due)
    return moment_words(at) if at is not None else due
