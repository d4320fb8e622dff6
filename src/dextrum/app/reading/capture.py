"""A walk over the points that are due on a job: which, in what order, what good boards read, and what is said and
sounded on the way."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from enum import StrEnum

from dextrum.core.advice.order import probing_order
from dextrum.core.board import Board, Method
from dextrum.core.capture.settling import OHMS_TEST, SettlingTest
from dextrum.core.capture.walk import Asks, CaptureWalk, HandTimes, Hearing
from dextrum.core.capture.wrong_point import Expectation
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.table import ReferenceTable
from dextrum.instruments.protocols import quantity_of
from dextrum.tongue import in_a_row, tr

USUAL_TIMES = HandTimes()


class Cue(StrEnum):
    """What is sounded."""

    NEXT = "next"
    WITHIN = "within"
    OFF = "off"
    OPEN = "open"
    GROUNDED = "grounded"
    QUESTION = "question"
    PROBE = "probe"
    OVER = "over"


CUE_WORDS = {Cue.NEXT: tr("next point"), Cue.WITHIN: tr("within"), Cue.OFF: tr("off"), Cue.OPEN: tr("open"),
             Cue.GROUNDED: tr("grounded"), Cue.QUESTION: tr("another point?"), Cue.PROBE: tr("probe asked for"),
             Cue.OVER: tr("all read")}


def cue_of(verdict: Verdict) -> Cue:
    """The tone of a verdict. What isn't judged sounds as within: it was recorded."""
    if verdict is Verdict.OPEN:
        return Cue.OPEN
    if verdict in (Verdict.GROUNDED, Verdict.PARTIAL_SHORT):
        return Cue.GROUNDED
    return Cue.OFF if verdict.is_off else Cue.WITHIN


def due_points(board: Board, asked: Iterable[str], read: Iterable[str], at_port: bool) -> tuple[str, ...]:
    """The points of the next step; where it asks for none, what is unread: of the port, or of the pairs after it."""
    wanted = [p for p in asked if p in board.point_by_id]
    if not wanted:
        known = set(read)
        contacts = [p for p in board.port_point_ids() if p not in known]
        wanted = contacts or [p.id for p in board.node_pairs if p.id not in known]
        if not wanted and not at_port:
            wanted = [p.id for p in board.points if p.id not in known]
    in_port = [p for p in board.port_point_ids() if p in wanted]
    return (*in_port, *probing_order(board, [p for p in wanted if p not in in_port]))


def expectations(board: Board, references: ReferenceTable, points: Iterable[str],
                 diode: Method = Method.DIODE_RED_GROUND) -> dict[str, Expectation]:
    """What good boards read at points in diode mode; those without known-good are left out."""
    found = {}
    for name in points:
        point, reference = board.point_by_id[name], references.get(name, diode)
        if point.to is None and reference is not None:
            found[name] = Expectation(reference.centre, reference.spread, point.x_mm, point.y_mm)
    return found


def walk_over(board: Board, references: ReferenceTable, points: tuple[str, ...],
              diode: Method = Method.DIODE_RED_GROUND, times: HandTimes = USUAL_TIMES,
              before: tuple[str, ...] = ()) -> CaptureWalk:
    """before: what a walk has read that this one goes on from."""
    both = (*points, *before)
    tests: Mapping[str, SettlingTest] = {p: OHMS_TEST for p in both if board.point_by_id[p].to is not None}
    return CaptureWalk(points, expectations(board, references, both, diode), times=times, tests=tests, before=before)


def quantity_at(board: Board, point: str, diode: Method, ohms: Method) -> str:
    """What the multimeter is to measure at a point."""
    return quantity_of(board.point_by_id[point].method_of(diode, ohms))


def point_words(board: Board, point: str) -> str:
    """A point as it is called out: 'A4' of a port, else its words or name."""
    known = board.point_by_id[point]
    if point in board.port_points:
        return point.partition(".")[2]
    return known.words or point


def spoken_words(point: str, value: float, method: Method, verdict: str) -> str:
    """'A4. 0.512 volts. within', as the synthesiser says it."""
    unit = tr("volts") if method.is_diode else tr("nanofarads") if method is Method.CAPACITANCE else tr("ohms")
    said = "O L" if value == float("inf") else f"{value:g} {unit}"
    return in_a_row((point, said, verdict))


COUNTED_SECONDS = 9.0


def _where(board: Board, point: str) -> str:
    return tr("it") if point in board.port_points else board.point_by_id[point].words or tr("it")


def point_name(board: Board, point: str) -> str:
    """A point in large type: 'A4', 'A4\u2013A9' or 'C17.1'."""
    at_port = any(point.startswith(f"{port.component}.") for port in board.ports)
    return (point.partition(".")[2] if at_port else point).replace("-", "\u2013")


def answer_keys(board: Board, walk: CaptureWalk) -> str:
    """The keys that answer what the walk asks; empty while it asks nothing."""
    asked = walk.asked
    return "" if asked is None else (tr("A: yes, that was {point_words} · Space: record it here · or lift off and "
                                        "touch again", point_words=point_words(board, asked.other)))


def hearing_words(board: Board, walk: CaptureWalk, now: float = 0.0) -> str:
    """What the walk waits for, in words. now: seconds by the clock of the meter."""
    asked = walk.asked
    if isinstance(asked, Asks):
        return tr("{asked:.3f} V fits {point_words}: another point?", asked=asked.value,
                  point_words=point_words(board, asked.other))
    if walk.hearing is Hearing.CONTACT and 0.0 < (left := walk.open_in(now)) < COUNTED_SECONDS:
        return tr("Touch {where} · OL counts as open in {left:.0f} s", where=_where(board, walk.point), left=left)
    if walk.wavers(now):
        return tr("Won't settle: touch again or type 0.51w")
    touch = tr("Touch {where}", where=_where(board, walk.point)) if walk.point else ""
    if walk.hearing is Hearing.CONTACT and not walk.heard:
        touch += tr(" · o, or OL after a first touch, counts as open")
    return {Hearing.CONTACT: touch,
            Hearing.SETTLED: tr("Hold still"), Hearing.LIFT: tr("Lift off, then touch it"),
            Hearing.PROBE: tr("OL for a while: is the probe there? Space: keep listening, S: skip"),
            Hearing.OVER: tr("All points are read"), Hearing.ANSWER: ""}[walk.hearing]
