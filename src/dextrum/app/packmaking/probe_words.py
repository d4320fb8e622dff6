"""Probing of an own board in words, and what of a job's trail it goes by."""

from __future__ import annotations

from typing import TYPE_CHECKING

from dextrum.core.board import Method
from dextrum.core.packmaking.netting import Ask, Touch
from dextrum.core.packmaking.probing import Probing, probing, with_nets
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board import Board
    from dextrum.core.job import JobFacts

MOST_DOUBTS_SHOWN = 2


def volts_and_touches(facts: JobFacts) -> tuple[dict[str, float], tuple[Touch, ...]]:
    """What was read in diode mode with red on ground since the last repair, by point, and the pairs touched."""
    volts = {point: reading.value for (epoch, point, name), reading in (facts.readings or {}).items()
             if epoch == facts.epoch and name == Method.DIODE_RED_GROUND.value and not reading.wavering}
    return volts, tuple(Touch(t.one, t.other, t.joined) for t in facts.touched)


def probing_of(board: Board, facts: JobFacts) -> Probing:
    """Where the probing of this unit stands."""
    return probing(board, *volts_and_touches(facts))


def netted(board: Board, facts: JobFacts) -> Board:
    """The pack with the nets that this unit's probing settled."""
    return with_nets(board, *volts_and_touches(facts))


def question_words(now: Probing) -> str:
    """What to do with the probes now."""
    if not now.unknown:
        return tr("No placed part has an end whose net is unknown.")
    if now.ask is None:
        return tr("Every end has its net. Keep the nets.")
    return tr("Touch {one} and {other}: does it beep?", one=now.ask.one, other=now.ask.other) if now.ask.other \
        else tr("Read {one} in diode mode, red on ground.", one=now.ask.one)


def where_words(board: Board, ask: Ask | None) -> str:
    """'C14.1: 25.0 18.0 mm, top'."""
    if ask is None:
        return ""
    found = (board.point_by_id.get(name) for name in (ask.one, ask.other) if name)
    return " · ".join(tr("{id}: {x_mm:.1f} {y_mm:.1f} mm, {side} side", id=p.id, x_mm=p.x_mm, y_mm=p.y_mm,
                         side=tr(p.side.value)) for p in found if p is not None)


def progress_words(now: Probing) -> str:
    """'12 of 20 ends settled'."""
    if not now.unknown:
        return tr("Place parts first, with ? for each net nobody knows: FL1 ? ? ? ?")
    return tr("{count} of {count2} ends settled", count=len(now.unknown) - len(now.left), count2=len(now.unknown))


def faulty_words(facts: JobFacts) -> str:
    """That the unit in hand is here for a fault, and what that does to nets; empty where nothing says so, or it was
    proved since."""
    proofs = facts.proofs or {}
    complained = facts.intake is not None and bool(facts.intake.present or facts.intake.complaint.strip())
    if not complained or (proofs and all(proof.passed for proof in proofs.values())):
        return ""
    return (tr("This unit is here for a fault: a short beeps like copper and would join two nets. Probe a good one "
               "if there is one."))


def doubt_words(now: Probing) -> str:
    """What can't all be true."""
    lines = []
    for doubt in now.doubts[:MOST_DOUBTS_SHOWN]:
        way = ", ".join(tr("{one} and {other}", one=step.one, other=step.other) for step in doubt.path)
        lines.append(tr("{one} and {other} are apart, yet these beeped: {way}. One of them is not so.",
                        one=doubt.opened.one, other=doubt.opened.other, way=way))
    return "\n".join(lines)
