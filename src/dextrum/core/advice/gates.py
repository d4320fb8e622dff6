"""What must hold before something is done. A held gate is explained, and can be passed with a reason."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board import Board, ComponentKind, Method, Point
from dextrum.core.board.value_words import value_words
from dextrum.core.job import JobFacts
from dextrum.core.looks import FORBIDS_PLUGGING
from dextrum.core.reference.judge import Judgement, Verdict, comparisons_for, judge
from dextrum.core.reference.table import ReferenceTable


@dataclass(frozen=True)
class Gate:
    """holds_back: 'supply', 'readings' or 'rework'. words: why; instead: what to do first."""

    id: str
    holds_back: str
    words: str
    instead: str


PLAIN_FAULTS = frozenset({Verdict.OPEN, Verdict.GROUNDED, Verdict.PARTIAL_SHORT})
"""Verdicts that no spread between good boards explains."""
ON_GROUND = PLAIN_FAULTS - {Verdict.OPEN}


def judge_at(board: Board, references: ReferenceTable, point: Point, method: Method, value: float,
             wavering: bool = False) -> Judgement:
    """A point's value by this board's known-good readings."""
    return judge(value, references.get(point.id, method), references.false_alarm, comparisons_for(board, point),
                 wavering)


def off_points(board: Board, references: ReferenceTable, facts: JobFacts, epoch: int,
               verdicts: frozenset[Verdict] | None = None) -> tuple[str, ...]:
    """Points whose reading in that epoch was not as a good board's, in the board's order.

    verdicts: only these, where given.
    """
    found = set()
    for (taken, point, method), reading in (facts.readings or {}).items():
        if taken == epoch and point in board.point_by_id:
            verdict = judge_at(board, references, board.point_by_id[point], Method(method), reading.value,
                               reading.wavering).verdict
            if verdict.is_off if verdicts is None else verdict in verdicts:
                found.add(point)
    return tuple(sorted(found, key=board.point_order.__getitem__))


def points_to_recheck(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[str, ...]:
    """After a repair: points that were off before it and have not been read since."""
    if facts.epoch == 0:
        return ()
    last: dict[str, bool] = {}
    since = {point for epoch, point, _ in facts.readings or {} if epoch == facts.epoch}
    for epoch in range(facts.epoch):
        off = set(off_points(board, references, facts, epoch))
        for taken, point, _ in facts.readings or {}:
            if taken == epoch:
                last[point] = point in off
    return tuple(point.id for point in board.points if last.get(point.id) and point.id not in since)


def _replaced(board: Board, facts: JobFacts) -> str:
    """A fuse or filter that was replaced last and whose cause nobody has named."""
    for epoch, rework in reversed(facts.reworks):
        part = board.component_by_designator.get(rework.part)
        if rework.action == "replace" and part is not None and part.kind in (
                ComponentKind.FUSE, ComponentKind.FILTER):
            return "" if facts.cause is not None and facts.cause_epoch >= epoch else rework.part
    return ""


def _grounded_contact(board: Board, references: ReferenceTable, facts: JobFacts) -> str:
    """A port contact that sits on ground, though it should not."""
    method = Method.DIODE_RED_GROUND
    for point in board.port_point_ids():
        reading = facts.latest_reading(point, method.value)
        if reading is None:
            continue
        judged = judge(reading.value, references.get(point, method))
        if judged.verdict is Verdict.GROUNDED:
            return f"{point.partition('.')[2]} reads {value_words(reading.value, method)}"
    return ""


def held_gates(board: Board, references: ReferenceTable, facts: JobFacts) -> tuple[Gate, ...]:
    """Gates that hold now, most serious first; those passed with a reason are left out."""
    gates: list[Gate] = []
    if facts.look is None:
        gates.append(Gate("look_first", "supply", "Look into the port before anything is plugged in: crossed "
                          "contacts can put supply voltage on a data line.", "Record the look."))
    else:
        bad = [f for f in facts.look.findings if f in FORBIDS_PLUGGING]
        # A look after the replacement speaks about the new port.
        port_replaced = any(rework.action == "replace" and epoch > facts.look_epoch
                            and rework.part in {p.component for p in board.ports}
                            for epoch, rework in facts.reworks)
        if bad and not port_replaced:
            gates.append(Gate("damaged_port", "supply", f"Nothing is plugged in while the port is "
                              f"{' and '.join(bad)}.", "Take the diode readings; the port comes off."))
        if "dirt" in facts.look.findings:
            gates.append(Gate("packed_port", "supply", "The port is packed with dirt, which imitates a dead one.",
                              "Blow or brush it out, then look again."))
    grounded = _grounded_contact(board, references, facts)
    if grounded:
        gates.append(Gate("grounded_contact", "supply", f"No supply on the port while {grounded}.",
                          "Find the short first."))
    due = points_to_recheck(board, references, facts)
    if due:
        gates.append(Gate("recheck", "supply", f"No power before {_few(due)} "
                          f"{'has' if len(due) == 1 else 'have'} been read again.", "Read again."))
    replaced = _replaced(board, facts)
    if replaced:
        gates.append(Gate("cause", "supply", f"{replaced} was blown by something. No power before the cause is "
                          "named or waived.", "Name the cause."))
    lifted = sorted(a for a in facts.isolated if not _unplugs(board, a))
    if lifted:
        gates.append(Gate("parts_off", "supply", f"{_few(tuple(lifted))} {'is' if len(lifted) == 1 else 'are'} off the "
                          "board. A rail without its load or its link is not powered.", "Put back what was lifted."))
    if facts.cell != "unplugged":
        gates.append(Gate("cell_in", "readings", "The cell is unplugged before diode readings and before heat.",
                          "Unplug the cell and say so."))
    return tuple(gate for gate in gates if not facts.overridden(gate.id))


def _unplugs(board: Board, address: str) -> bool:
    part = board.component_by_designator.get(address.partition(".")[0])
    return part is not None and part.kind is ComponentKind.CONNECTOR


def _few(points: tuple[str, ...]) -> str:
    shown = ", ".join(points[:3])
    return shown if len(points) <= 3 else f"{shown} and {len(points) - 3} more"


