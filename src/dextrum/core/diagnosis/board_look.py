"""What looking over the board says: missing, burst or askew parts, corrosion, and traces of earlier work.

A part that is missing shows nearly always, a shorted one now and then, a dead chip seldom. Corrosion and flux left
behind speak for the parts round them, the more the nearer: liquid raises its region. How often each shows is an
assumption that stands with its kind of fault; nobody has counted it here.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.assumptions.looks import COUNTED_BY_MISTAKE, RAISED, REGION_MM, SHOWN_BY_MISTAKE
from dextrum.core.board import Board, Component, ComponentKind, Fault, Side
from dextrum.core.diagnosis.telling import LookRound, SideLook
from dextrum.core.faults.registry import KINDS
from dextrum.core.faults.torn_pad import TORN_UNDER
from dextrum.core.looks import MISSING, TORN
from dextrum.core.trail import Look, PartSeen, Rework

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel

LIQUID = "corroded"
NOT_LOOKED_AT = frozenset({ComponentKind.RECEPTACLE})


def shown_as(board: Board, fault: Fault) -> tuple[str, float]:
    """How a fault shows when its side of the board is looked over, and how often; nothing for what can't be seen."""
    part = board.component_by_designator.get(fault.part)
    if part is None or part.kind in NOT_LOOKED_AT:
        return "", 0.0
    return KINDS[fault.kind].shown


def counted(board: Board, fault: Fault, photo: bool = True) -> float:
    """How often a fault shows when the parts round a repair are counted against the list and, where there is one, the
    photo made before. Without it only an empty place shows better than to one who looks the side over."""
    what, often = shown_as(board, fault)
    return max(often, KINDS[fault.kind].counted) if what and (photo or what == MISSING) else often


def pads_lie_bare(board: Board, part: str, reworks: Iterable[tuple[int, Rework]]) -> bool:
    """Whether the last that was done to a part had it off the board, so that pads which tear could be seen."""
    place = board.component_by_designator.get(part)
    last = next((rework for _, rework in reversed(tuple(reworks)) if rework.part == part), None)
    return place is not None and place.kind in TORN_UNDER and last is not None and last.action == "replace"


def sides_to_look_at(board: Board) -> tuple[Side, ...]:
    """Sides with parts that can be seen to be wrong."""
    return tuple(side for side in Side if any(
        part.side is side and part.kind not in NOT_LOOKED_AT for part in board.components))


def shows_on(model: DiagnosisModel, side: Side) -> np.ndarray:
    """Chance that each row's fault shows when this side is looked over, (R,)."""
    found = model.remembered(("shows", side), lambda: _shows_on(model, side))
    assert found is not None
    return found


def _shows_on(model: DiagnosisModel, side: Side) -> np.ndarray:
    hypotheses, board = model.hypotheses, model.board
    per_fault = np.array([shown_as(board, fault)[1] if _side_of(board, fault) is side else 0.0
                          for fault in hypotheses.faults] + [0.0])
    return np.asarray(per_fault[hypotheses.fault_of_row])


def _side_of(board: Board, fault: Fault) -> Side | None:
    part = board.component_by_designator.get(fault.part)
    return None if part is None else part.side


def nearness(part: Component, other: Component) -> float:
    """1 at the same place, falling to 0 at REGION_MM on the same side."""
    away = float(np.hypot(part.x_mm - other.x_mm, part.y_mm - other.y_mm))
    return max(0.0, 1.0 - away / REGION_MM) if part.side is other.side else 0.0


def region_gain(model: DiagnosisModel, designator: str, what: str) -> np.ndarray:
    """ln of how much likelier each row's fault makes corrosion, earlier work or a bridge at a part, (R,)."""
    hypotheses, board = model.hypotheses, model.board
    place = board.component_by_designator[designator]
    near = {part.designator: nearness(place, part) for part in board.components}
    # Liquid swaps no parts and bridges no pins.
    spared = what == LIQUID
    per_fault = np.array([np.log1p((RAISED[what] - 1.0) * near.get(fault.part, 0.0))
                          if not (spared and KINDS[fault.kind].by_hands) else 0.0 for fault in hypotheses.faults]
                         + [0.0])
    return np.asarray(per_fault[hypotheses.fault_of_row])


def board_look_parts(model: DiagnosisModel, look: SideLook) -> tuple[np.ndarray, np.ndarray]:
    """ln chance of what was seen on one side under each row, (R,), and of it the parts that any one fault of a region
    explains, (S, R), which count once. Parts that this board doesn't have are left out. What had been seen before tells
    nothing more."""
    board, hypotheses = model.board, model.hypotheses
    shows = shows_on(model, look.side)
    if look.known:
        known = [(fault.part, _looks_like(board, fault)) in look.known for fault in hypotheses.faults]
        shows = np.where(np.array([*known, False])[hypotheses.fault_of_row], 0.0, shows)
    return _seen_parts(model, _not_known(look), shows, 1.0)


def audit_look_parts(model: DiagnosisModel, look: LookRound, looked_at: frozenset[str]) -> tuple[
        np.ndarray, np.ndarray]:
    """The same of what was seen round one part after heat, or before. looked_at: the parts that were counted there.
    What had been seen before tells nothing more."""
    seen = _not_known(look)
    return _seen_parts(model, seen, audit_look_shows(model, look, looked_at),
                       1.0 if look.before_heat else COUNTED_BY_MISTAKE)


def audit_look_shows(model: DiagnosisModel, look: LookRound, looked_at: frozenset[str]) -> np.ndarray:
    """Chance that each row's fault shows at such a look, (R,)."""
    board, hypotheses = model.board, model.hypotheses
    seen = _not_known(look)
    every = looked_at | {look.part} | {s.part for s in seen}
    under = {s.part for s in seen if s.what == TORN} | ({look.part} if look.pads else set())

    def shows(fault: Fault) -> float:
        kind, what = KINDS[fault.kind], _looks_like(board, fault)
        bare = kind.under[1] if fault.part in under else 0.0
        return 0.0 if (fault.part, what) in look.known else max(
            bare, counted(board, fault, not look.before_heat) if fault.part in every else 0.0)

    by_fault = np.array([shows(fault) for fault in hypotheses.faults] + [0.0])
    return np.asarray(by_fault[hypotheses.fault_of_row])


def _not_known(look: LookRound | SideLook) -> list[PartSeen]:
    return [s for s in look.seen if (s.part, s.what) not in look.known]


def _looks_like(board: Board, fault: Fault) -> str:
    """What is seen of a fault: on its part, or under it."""
    return shown_as(board, fault)[0] or KINDS[fault.kind].under[0]


def _mistaken(seen: PartSeen, counted: float) -> float:
    """How often this is said though nothing of the kind is there. What was so before any work stands in no list, and
    pads are not counted."""
    return SHOWN_BY_MISTAKE[seen.what] * (1.0 if seen.before or seen.what == TORN else counted)


def _seen_parts(model: DiagnosisModel, said: Sequence[PartSeen], shows: np.ndarray, counted: float) -> tuple[
        np.ndarray, np.ndarray]:
    """shows: chance that each row's fault shows where it was looked, (R,); counted: how often a finding is a mistake,
    beside one of a whole side looked over."""
    board, hypotheses = model.board, model.hypotheses
    seen = [s for s in said if s.part in board.component_by_designator]
    by_mistake = {(s.part, s.what): _mistaken(s, counted) for s in seen}
    total = np.log1p(-shows)
    for row in np.flatnonzero(shows).tolist():
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        what = _looks_like(board, fault)
        if (fault.part, what) in by_mistake:
            total[row] = np.log(shows[row] / by_mistake[fault.part, what])
    total += sum(float(np.log(chance)) for chance in by_mistake.values())
    shared = [region_gain(model, s.part, s.what) for s in seen if s.what in RAISED]
    for part in shared:
        total += part
    return total, np.stack(shared) if shared else np.zeros((0, hypotheses.count))


def corroded_port(model: DiagnosisModel, look: Look) -> np.ndarray | None:
    """ln of how much likelier each row's fault makes corrosion in the port, (R,); None where none was seen."""
    ports = [port.component for port in model.board.ports]
    if "corroded" not in look.findings or not ports:
        return None
    return region_gain(model, ports[0], "corroded")
