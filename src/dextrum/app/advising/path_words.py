"""The way of a suspicious signal along the board, with the values measured on it and where the break must lie."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from dextrum.app.reading.judged import JudgedReading
from dextrum.app.reading.sentences import contact_words
from dextrum.core.advice.actions import Action
from dextrum.core.board import Board, Point
from dextrum.core.board.part_checks import ends_words, part_check, plainly_off
from dextrum.core.board.path import BreakStretch, SignalPath, signal_path
from dextrum.core.board.value_words import value_words
from dextrum.core.reference.judge import Verdict
from dextrum.tongue import tr

MOST_NUMBERED = 5


def worth_measuring(ranked: Sequence[Action]) -> tuple[str, ...]:
    """Points that the advice would have measured next, the best first."""
    points = [p for action in ranked if action.kind in ("measure", "recheck") for p in action.points]
    return tuple(dict.fromkeys(points))[:MOST_NUMBERED]


def suspicious_path(board: Board, judged: Mapping[str, JudgedReading], current: str) -> SignalPath | None:
    """The way on which the point in hand lies, when a contact of it is off; else that of the first contact that is off;
    else that of the point in hand."""
    off = [p for p in board.port_point_ids() if p in judged and judged[p].judgement.verdict.is_off]
    ways = [way for way in (signal_path(board, p) for p in off) if way is not None]
    for way in ways:
        if current in way.points:
            return way
    return ways[0] if ways else signal_path(board, current)


def way_words(board: Board, judged: Mapping[str, JudgedReading], way: SignalPath, stretch: BreakStretch | None) -> str:
    """'A10 RX2− OL \u2192 FL5 \u2192 FL5.4 0.451 V \u2192 U3. The break lies between J1.A10 and FL5.4: FL5.'"""
    parts: list[str] = []
    for step in way.steps:
        if step.through:
            parts.append(step.through)
        for point in step.points:
            if point in judged:
                reading = judged[point]
                name = contact_words(board, board.point_by_id[point])
                parts.append(f"{name} {value_words(reading.reading.value, reading.method)}")
    if way.contact not in judged:
        parts.insert(0, contact_words(board, board.point_by_id[way.contact]))
    if way.chip:
        parts.append(way.chip)
    said = " \u2192 ".join(parts)
    if stretch is None:
        return said
    between = f": {', '.join(stretch.parts)}" if stretch.parts else tr(": a joint or the copper")
    return tr("{said}. The break lies between {after} and {before}{between}.", said=said, after=stretch.after,
              before=stretch.before, between=between)


def off_by_point(board: Board, judged: Mapping[str, JudgedReading]) -> dict[str, bool]:
    """Whether each reading is not a good board's; ohms from end to end speak for themselves where nothing judges."""
    return {p: plainly_off(board, board.point_by_id[p], r.reading.value)
            if r.judgement.verdict is Verdict.NOT_JUDGED and not r.method.is_diode else r.judgement.verdict.is_off
            for p, r in judged.items()}


def part_words(board: Board, judged: Mapping[str, JudgedReading], point: Point) -> str:
    """What is known of the part at a point by its end-to-end readings, and where a capacitor's ends sit."""
    part = board.component_by_designator.get(point.part)
    if part is None:
        return ""
    check = part_check(board, part.designator, off_by_point(board, judged))
    if check is not None:
        return check.words
    ends = ends_words(board, part)
    return f"{part.designator}: {ends}." if ends else ""
