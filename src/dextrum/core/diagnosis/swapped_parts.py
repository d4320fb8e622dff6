"""Two small parts in each other's place: one mistake of the hand, and two faults of the board."""

from __future__ import annotations

import numpy as np

from dextrum.core.assumptions.reworked import LEAST_UNLIKE, MOST_SWAP_MM, SWAPPED_PAIR
from dextrum.core.board import Board, FaultKind
from dextrum.core.board.model import Component
from dextrum.core.diagnosis.hypotheses import Hypotheses


def in_each_others_place(board: Board, hypotheses: Hypotheses) -> np.ndarray:
    """How much likelier two faults are together than by chance, (F, F): `SWAPPED_PAIR` where both parts are in
    another's place and may be in each other's, else 1."""
    factor = np.ones((len(hypotheses.faults),) * 2)
    found = [(i, board.component_by_designator[fault.part]) for i, fault in enumerate(hypotheses.faults)
             if fault.kind is FaultKind.WRONG_PART]
    for i, one in found:
        for k, other in found:
            if i != k and _may_be_swapped(one, other):
                factor[i, k] = SWAPPED_PAIR
    return factor


def _may_be_swapped(one: Component, other: Component) -> bool:
    """Of one kind, on one side, within a hand's reach, and not known to have much the same value."""
    if one.kind is not other.kind or one.side is not other.side or np.hypot(
            one.x_mm - other.x_mm, one.y_mm - other.y_mm) > MOST_SWAP_MM:
        return False
    values = [part.ohms if part.nanofarads is None else part.nanofarads for part in (one, other)]
    known = [value for value in values if value]
    return len(known) < 2 or max(known) / min(known) >= LEAST_UNLIKE
