"""The two lines of a filter that touch each other."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.breaking import CROSSED_DISTURB
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.faults.connection import Connection
from dextrum.core.faults.kind import Place
from dextrum.tongue import tr


class BridgedWindings(Connection):
    word = FaultKind.BRIDGED_WINDINGS
    after_fitting = 0.2
    words = tr("its two lines are bridged")

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        yield (part.lines[0][0], part.lines[1][0]), ""

    def severity(self, ohms: float) -> float:
        return CROSSED_DISTURB
