"""A part that is as good as metal between a line and ground, or across itself."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.faults.connection import Connection
from dextrum.core.faults.kind import Place
from dextrum.tongue import tr


class HardShort(Connection):
    word = FaultKind.HARD_SHORT
    words = tr("{t} shorted")
    shown = ("burst", 0.2)
    blows_feeders = True
    may_spare_feed = True

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        for terminals, shown in super().places(board, part):
            if part.kind is not ComponentKind.IC or conducts(part, terminals[0]):
                yield terminals, shown


def conducts(part: Component, terminal: str) -> bool:
    """Whether a chip has something at this pin that can go short: a junction or a resistance to ground."""
    pin = part.terminal(terminal)
    return pin.junction_volts is not None or pin.ohms_to_ground is not None
