"""Which points of a job read otherwise than a good board."""

from __future__ import annotations

from dextrum.core.board import Board, Method, Point
from dextrum.core.job import JobFacts
from dextrum.core.reference.judge import Judgement, Verdict, comparisons_for, judge
from dextrum.core.reference.table import ReferenceTable

PLAIN_FAULTS = frozenset({Verdict.OPEN, Verdict.GROUNDED, Verdict.PARTIAL_SHORT})
"""Verdicts that no spread between good boards explains."""
ON_GROUND = PLAIN_FAULTS - {Verdict.OPEN}


def judge_at(board: Board, references: ReferenceTable, point: Point, method: Method, value: float,
             wavering: bool = False) -> Judgement:
    """A point's value by this board's known-good readings."""
    return judge(value, references.get(point.id, method), references.false_alarm, comparisons_for(board, point),
                 wavering, board.is_to_ground(point.id))


def off_points(board: Board, references: ReferenceTable, facts: JobFacts, epoch: int,
               verdicts: frozenset[Verdict] | None = None) -> tuple[str, ...]:
    """Points whose reading in that epoch was not as a good board's, in the board's order.

    verdicts: only these, where given.
    """
    found = (point for point, seen in verdicts_at(board, references, facts, epoch).items()
             if (any(verdict.is_off for verdict in seen) if verdicts is None else seen & verdicts))
    return tuple(sorted(found, key=board.point_order.__getitem__))


def verdicts_at(board: Board, references: ReferenceTable, facts: JobFacts, epoch: int) -> dict[str, frozenset[Verdict]]:
    """What each point that was read in that epoch was judged, by whatever methods; without readings set aside."""
    found: dict[str, frozenset[Verdict]] = {}
    for (taken, point, method), reading in (facts.readings or {}).items():
        if taken == epoch and point in board.point_by_id and (reading.entry_id, point) not in facts.set_aside:
            verdict = judge_at(board, references, board.point_by_id[point], Method(method), reading.value,
                               reading.wavering).verdict
            found[point] = found.get(point, frozenset()) | {verdict}
    return found
