"""Readings with their verdicts: cheap, so that the window shows them at once."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board import Board, Method, Point
from dextrum.core.job import JobFacts, StandingReading
from dextrum.core.reference.judge import NO_REFERENCE, Judgement, judge
from dextrum.core.reference.table import ReferenceTable

BOARD_COMPARISONS = 12
FALSE_ALARM_PER_SCAN = 0.05


@dataclass(frozen=True)
class JudgedReading:
    """A standing reading with its verdict. before: the reading of an earlier repair epoch, if there is one."""

    point: str
    method: Method
    reading: StandingReading
    judgement: Judgement
    before: StandingReading | None


def comparisons_for(board: Board, point: Point) -> int:
    """How many readings are judged together with this one: a port scan, or a walk over the board."""
    return max(1, len(board.port_points)) if point.id in board.port_points else BOARD_COMPARISONS


def judge_reading(board: Board, references: ReferenceTable, point_id: str, method: Method, value: float,
                  wavering: bool = False, false_alarm: float = FALSE_ALARM_PER_SCAN) -> Judgement:
    """One reading by its reference; not judged where there is none."""
    point = board.point_by_id.get(point_id)
    if point is None:
        return NO_REFERENCE
    compared = Method.RESISTANCE if method is Method.CONTINUITY else method
    return judge(value, references.get(point_id, compared), false_alarm, comparisons_for(board, point), wavering)


def judged_readings(board: Board, references: ReferenceTable, facts: JobFacts) -> dict[str, JudgedReading]:
    """The newest reading of every point that has one, by point id."""
    newest: dict[tuple[str, str], list[StandingReading]] = {}
    for (_epoch, point, method), reading in (facts.readings or {}).items():
        newest.setdefault((point, method), []).append(reading)
    found: dict[str, JudgedReading] = {}
    for (point, method), taken in newest.items():
        if point not in board.point_by_id:
            continue
        taken.sort(key=lambda r: r.epoch)
        now, other = taken[-1], found.get(point)
        if other is not None and other.reading.at >= now.at:
            continue
        way = Method(method)
        found[point] = JudgedReading(
            point, way, now, judge_reading(board, references, point, way, now.value, now.wavering),
            taken[-2] if len(taken) > 1 else None)
    return found
