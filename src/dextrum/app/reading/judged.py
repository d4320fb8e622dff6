"""Readings with their verdicts: cheap, so that the window shows them at once."""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import datetime

from dextrum.core.board import Board, Method
from dextrum.core.entries.draft import StandingReading
from dextrum.core.job import JobFacts
from dextrum.core.reference.by_role import judged_by_role
from dextrum.core.reference.columns import reading_at_compared_temperature
from dextrum.core.reference.judge import NO_REFERENCE, Judgement, Verdict, comparisons_for, judge
from dextrum.core.reference.table import ReferenceTable
from dextrum.core.reference.warm import is_warm
from dextrum.core.reference.within_scan import references_within_scan
from dextrum.tongue import tr


@dataclass(frozen=True)
class JudgedReading:
    """A standing reading with its verdict. before: the reading of an earlier repair epoch, if there is one."""

    point: str
    method: Method
    reading: StandingReading
    judgement: Judgement
    before: StandingReading | None


def cooling_words(facts: JobFacts, now: datetime, celsius: float | None) -> str:
    """What to do about a board that has just been under heat; empty where it is cool or its temperature is given."""
    if not is_warm(facts, now, celsius):
        return ""
    return tr("Just reworked: let it cool, warm it reads low; or give its temperature (Ctrl+K, board temperature).")


def judge_reading(board: Board, references: ReferenceTable, point_id: str, method: Method, value: float,
                  wavering: bool = False, celsius: float | None = None) -> Judgement:
    """One reading by its reference; not judged where there is none. celsius: of the board, where it is known."""
    point = board.point_by_id.get(point_id)
    if point is None:
        return NO_REFERENCE
    value = reading_at_compared_temperature(value, method, celsius)
    return judge(value, references.get(point_id, method.compared), references.false_alarm,
                 comparisons_for(board, point), wavering, board.is_to_ground(point_id))


def judged_readings(board: Board, references: ReferenceTable, facts: JobFacts,
                    methods: frozenset[Method] | None = None) -> dict[str, JudgedReading]:
    """The newest reading of every point that has one, by point id; only those of `methods`, where given. Contacts
    without known-good are judged by the others of their scan."""
    newest: dict[tuple[str, str], list[StandingReading]] = {}
    for (_epoch, point, method), reading in facts.shown_readings.items():
        if methods is None or Method(method) in methods:
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
            point, way, now, judge_reading(board, references, point, way, now.value, now.wavering,
                                           celsius=now.board_celsius), taken[-2] if len(taken) > 1 else None)
    return _by_their_scan(board, found, references.false_alarm)


def _by_their_scan(board: Board, found: dict[str, JudgedReading],
                   false_alarm: float) -> dict[str, JudgedReading]:
    """Port contacts that no reference judges, judged by the other contacts read by the same method."""
    bare = {p for p, r in found.items() if p in board.port_points and r.judgement.verdict is Verdict.NOT_JUDGED}
    for method in {found[p].method for p in bare}:
        values = {p: reading_at_compared_temperature(r.reading.value, method, r.reading.board_celsius)
                  for p, r in found.items() if p in board.port_points and r.method is method and not r.reading.wavering}
        by_role = judged_by_role(board, values, method)
        off = frozenset(p for p, judgement in by_role.items() if judgement.verdict.is_off)
        found.update((p, replace(found[p], judgement=by_role[p])) for p in off & bare if found[p].method is method)
        for point, reference in references_within_scan(board, values, method, off).items():
            if point in off:
                continue
            if point in bare and found[point].method is method:
                one = found[point]
                judgement = judge(values.get(point, one.reading.value), reference, false_alarm,
                                  comparisons=comparisons_for(board, board.point_by_id[point]),
                                  wavering=one.reading.wavering, to_ground=board.is_to_ground(point))
                found[point] = replace(one, judgement=judgement)
    return found
