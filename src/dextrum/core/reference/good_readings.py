"""What good boards read at the points of a pack, to be held against what the pack says."""

from __future__ import annotations

import math
from dataclasses import dataclass

from dextrum.core.assumptions.packs import ALIKE_VOLTS
from dextrum.core.board import Board, Method
from dextrum.core.reference.table import ReferenceTable

OPEN = math.inf


@dataclass(frozen=True)
class GoodReading:
    """What good boards read at a point against ground, in diode mode: inf for OL. spread: of one further board."""

    volts: float
    spread: float

    @property
    def variance(self) -> float:
        """Of how far it may lie from another point of the same net."""
        return self.spread ** 2 + ALIKE_VOLTS ** 2


def good_readings(board: Board, references: ReferenceTable) -> dict[str, GoodReading]:
    """Of every point that good boards were read at, red on ground."""
    found = {}
    for point in board.points:
        known = references.get(point.id, Method.DIODE_RED_GROUND)
        if point.to is None and known is not None and known.boards and point.id not in board.unknown_points:
            found[point.id] = GoodReading(known.centre, known.spread)
    return found
