"""What each row of a board leaves of the capacitance between the ends of a point that is read in farads."""

from __future__ import annotations

import numpy as np

from dextrum.core.board import Board, Method, Point
from dextrum.core.circuit.capacitance import capacitors_between
from dextrum.core.circuit.isolation import WHOLE_BOARD, Isolated
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, Hypotheses
from dextrum.core.faults.registry import KINDS


def held_nanofarads(board: Board, hypotheses: Hypotheses, point: Point, isolated: Isolated = WHOLE_BOARD) -> np.ndarray:
    """The capacitors on the board that join the point's two nets, added up, (R,): of each fault's part what its kind
    leaves of it."""
    own = {part.designator: part.nanofarads or 0.0 for part in capacitors_between(board, point)
           if part.designator not in isolated}
    held = np.full(hypotheses.count, sum(own.values()))
    for row in range(FIRST_FAULT_ROW, hypotheses.count):
        fault = hypotheses.faults[int(hypotheses.fault_of_row[row])]
        if fault.part in own:
            has = own[fault.part]
            held[row] += KINDS[fault.kind].nanofarads(has, float(hypotheses.ohms[row])) - has
    return held


def changes_farads(board: Board, hypotheses: Hypotheses) -> np.ndarray:
    """Whether a row changes the capacitance between the ends of a point that is read in farads, (R, P)."""
    found = np.zeros((hypotheses.count, len(board.points)), dtype=bool)
    for column, point in enumerate(board.points):
        if point.default_method is Method.CAPACITANCE:
            held = held_nanofarads(board, hypotheses, point)
            found[:, column] = held != held[NOTHING_ROW]
    return found
