"""The audit by measuring in words: what is read round a part that was heated, what that shows, what is looked at."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.board import Board
from dextrum.core.board.value_words import value_words
from dextrum.core.job import JobFacts
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.rework.audit import AuditWalk

MOST_NAMED = 10
MOST_ROWS = 12


@dataclass(frozen=True)
class AuditRow:
    """One point: where it is, what it reads on a good board and reads now ('' unread), and what it would show."""

    point: str
    good: str
    now: str
    shows: str


def audit_rows(board: Board, audit: AuditWalk, facts: JobFacts, since: int) -> tuple[AuditRow, ...]:
    """By point, unread ones first, each in the order of the board. since: the epoch that the repair began."""
    shows: dict[str, dict[str, list[str]]] = {}
    good: dict[str, str] = {}
    for part in audit.parts:
        for way in part.shown:
            method = board.point_by_id[way.point].default_method
            reads = value_words(way.reads, method)
            shows.setdefault(way.point, {}).setdefault(reads, []).append(f"{part.part} {way.words}")
            good[way.point] = value_words(way.good, method)
    rows = []
    for point in sorted(shows, key=board.point_order.__getitem__):
        method = board.point_by_id[point].default_method
        now = next((value_words(r.value, method) for epoch in range(facts.epoch, since - 1, -1)
                    if (r := facts.reading(point, method.value, epoch)) is not None), "")
        words = "; ".join(f"{reads}: {_few(ways)}" for reads, ways in shows[point].items())
        rows.append(AuditRow(point, good[point], now, words))
    return tuple(sorted(rows, key=lambda row: bool(row.now)))


def by_eye_words(audit: AuditWalk) -> str:
    """What no reading shows, gathered by what it would be; empty where there is nothing of the kind."""
    found: dict[str, list[str]] = {}
    for part in audit.parts:
        for words in part.by_eye:
            found.setdefault(words, []).append(part.part)
    joints = [part.part for part in audit.parts if any("joint" in words for words in part.by_eye)]
    said = [f"{words}: {_few(parts)}" for words, parts in found.items() if "joint" not in words]
    said += [tr("joints: {few}", few=_few(joints))] if joints else []
    return tr("By eye, since none of these readings shows it: {said}.", said="; ".join(said)) if said else ""


def audit_sentence(audit: AuditWalk) -> str:
    """How far the readings go."""
    if not audit.parts:
        return tr("Round {part} the pack knows no part that heat could have hurt. Look all the same.", part=audit.part)
    share = round(100 * audit.seen)
    due = tr("{count} readings more", count=len(audit.points)) if len(audit.points) != 1 else tr("one reading more")
    return (tr("Near the heat: {few}. Readings show {share} % of what the repair may have done, to {part} too; ",
               few=_few([part.part for part in audit.parts]), share=share,
               part=audit.part) + (tr("{due} for that.", due=due) if audit.points else
                                                       tr("all are taken or due anyhow.")))


def _few(names: Iterable[str]) -> str:
    names = list(dict.fromkeys(names))
    more = tr(" and {count} more", count=len(names) - MOST_NAMED) if len(names) > MOST_NAMED else ""
    return ", ".join(names[:MOST_NAMED]) + more

