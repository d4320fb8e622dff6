"""The tester turned over in the port: what stays with the port's contact is the device's, what moves with the tester is
the tester's or its plug's.

A plug may go in either way up, so the tester's pad that touched A2 touches B2 when it is turned over. A pad of which
both readings are off, while the other pad reads both contacts as a good board's, is the one at fault.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from dextrum.core.board import Board, Method
from dextrum.core.entries.draft import StandingReading
from dextrum.core.job import JobFacts
from dextrum.core.reference.columns import reading_at_compared_temperature
from dextrum.core.reference.judge import Verdict, comparisons_for, judge
from dextrum.core.reference.table import PointReference, ReferenceTable
from dextrum.core.reference.within_scan import references_within_scan

Belongs = Literal["device", "tester", "touch"]


@dataclass(frozen=True)
class TurnedFinding:
    """One contact that was off at least one way up, and whose fault that is. 'touch': off once, and with nothing else.

    point: the port's contact for the device and for a touch; for the tester, the contact that its pad faced upright.
    """

    point: str
    method: Method
    belongs: Belongs


def facing_points(board: Board) -> dict[str, str]:
    """Port point to the one that the same pad of the tester touches when it is turned over."""
    found: dict[str, str] = {}
    for port in board.ports:
        by_at = {p.at: p.id for p in board.points if p.to is None}
        place = {c.name: by_at.get(f"{port.component}.{c.name}", "") for c in port.contacts}
        for name, point in place.items():
            other = place.get(("B" if name[0] == "A" else "A") + name[1:], "")
            if point and other:
                found[point] = other
    return found


def _verdicts(board: Board, references: ReferenceTable, taken: Mapping[str, StandingReading],
              method: Method) -> dict[str, Verdict]:
    """Verdict of each point of one scan, by known-good or, without, by the other contacts of that scan."""
    values = {p: reading_at_compared_temperature(r.value, method, r.board_celsius) for p, r in taken.items()}
    by_scan: Mapping[str, PointReference] = references_within_scan(board, values, method)
    return {p: judge(values[p], references.get(p, method) or by_scan.get(p), references.false_alarm,
                     comparisons_for(board, board.point_by_id[p]), r.wavering).verdict for p, r in taken.items()}


def turned_findings(board: Board, references: ReferenceTable, facts: JobFacts, epoch: int | None = None) -> tuple[
        TurnedFinding, ...]:
    """What the two ways up say together, for the contacts read both ways since the last repair (or in `epoch`)."""
    return tuple(finding for finding, _ in _findings(board, references, facts,
                                                     facts.epoch if epoch is None else epoch))


def _findings(board: Board, references: ReferenceTable, facts: JobFacts, epoch: int) -> list[
        tuple[TurnedFinding, tuple[tuple[str, bool], ...]]]:
    """Each finding with the readings that say nothing of the device, as (point, turned)."""
    both = facts.either_way_up or {}
    if not any(turned and e == epoch for e, _, _, turned in both):
        return []
    facing = facing_points(board)
    methods = {m for e, p, m, turned in both if turned and e == epoch and p in facing}
    found: list[tuple[TurnedFinding, tuple[tuple[str, bool], ...]]] = []
    for name in sorted(methods):
        method = Method(name)
        scans = [{p: r for (e, p, m, way), r in both.items() if e == epoch and m == name and way == turned
                  and p in facing} for turned in (False, True)]
        upright, turned_over = (_verdicts(board, references, scan, method) for scan in scans)
        moved = {p for p in upright if _is_pads_fault(p, facing[p], upright, turned_over)}
        for point in board.port_point_ids():
            if point not in upright or point not in turned_over:
                continue
            mate = facing[point]
            if point in moved:
                found.append((TurnedFinding(point, method, "tester"), ((point, False), (mate, True))))
            off_up, off_over = upright[point].is_off, turned_over[point].is_off
            by_pads = (point in moved, mate in moved)
            if off_up and off_over and not any(by_pads):
                found.append((TurnedFinding(point, method, "device"), ()))
            elif off_up != off_over and not by_pads[0 if off_up else 1]:
                found.append((TurnedFinding(point, method, "touch"), ((point, off_over),)))
    return found


def _is_pads_fault(point: str, mate: str, upright: Mapping[str, Verdict], over: Mapping[str, Verdict]) -> bool:
    """Whether the pad that faced `point` upright is off on both contacts, and the pad across from it on none."""
    if any(p not in scan for p in (point, mate) for scan in (upright, over)):
        return False
    return (upright[point].is_off and over[mate].is_off
            and upright[mate] is Verdict.WITHIN and over[point] is Verdict.WITHIN)


def tester_judged(board: Board, references: ReferenceTable, facts: JobFacts) -> JobFacts:
    """The facts with every contact's reading the one that speaks of the device, and what doesn't named."""
    both = facts.either_way_up or {}
    if not any(turned for *_, turned in both):
        return facts
    readings = dict(facts.readings or {})
    left_out: set[tuple[str, str]] = set()
    for epoch in sorted({e for e, *_ in both}):
        for finding, gone in _findings(board, references, facts, epoch):
            for point, turned in gone:
                name = finding.method.value
                wrong = both[epoch, point, name, turned]
                right = both.get((epoch, point, name, not turned))
                left_out.add((wrong.entry_id, point))
                if right is not None:
                    readings[epoch, point, name] = right
    return replace(facts, readings=readings, tester_faults=frozenset(left_out))
