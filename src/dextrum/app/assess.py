"""One job at one moment, wholly computed from its trail: what every view and the command line show."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from dextrum.core.advice import Advice, AdviceModel, recommend
from dextrum.core.board import Board, Method, Point
from dextrum.core.diagnosis import (
    Posterior,
    Reason,
    Suspect,
    gather_evidence,
    posterior_over_rows,
    reasons,
    suspects,
)
from dextrum.core.job import JobFacts, StandingReading, job_facts
from dextrum.core.reference import NO_REFERENCE, Judgement, ReferenceTable, judge
from dextrum.core.trail import Entry

PORT_COMPARISONS = 24
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


@dataclass(frozen=True)
class Assessment:
    """Everything weighed. reasons: suspect's fault index to what speaks for and against it."""

    facts: JobFacts
    posterior: Posterior
    suspects: tuple[Suspect, ...]
    reasons: Mapping[int, tuple[Reason, ...]]
    advice: Advice


def comparisons_for(board: Board, point: Point) -> int:
    """How many readings are judged together with this one: a port scan, or a walk over the board."""
    contacts = len(board.port_point_ids())
    return max(1, contacts) if point.id in set(board.port_point_ids()) else BOARD_COMPARISONS


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
    found: dict[str, JudgedReading] = {}
    for point in board.points:
        for method in point.methods:
            now = facts.latest_reading(point.id, method.value)
            if now is None:
                continue
            before = next((r for epoch in range(now.epoch - 1, -1, -1)
                           if (r := facts.reading(point.id, method.value, epoch)) is not None), None)
            other = found.get(point.id)
            if other is not None and other.reading.at >= now.at:
                continue
            found[point.id] = JudgedReading(
                point.id, method, now,
                judge_reading(board, references, point.id, method, now.value, now.wavering), before)
    return found


def assess(model: AdviceModel, entries: tuple[Entry, ...], most_suspects: int = 6) -> Assessment:
    """The whole computation. Pure: same trail and model, same result."""
    facts = job_facts(entries)
    evidence = gather_evidence(model.model, entries)
    posterior = posterior_over_rows(model.model.hypotheses, evidence)
    ranked = suspects(posterior, most_suspects)
    return Assessment(facts, posterior, ranked,
                      {s.index: reasons(posterior, s.index) for s in ranked},
                      recommend(model, posterior, facts))
