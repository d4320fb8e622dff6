"""A fuse that has blown."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.interruption import Interruption
from dextrum.core.faults.kind import Place
from dextrum.core.faults.open_winding import cut_line, lines_of
from dextrum.tongue import tr


class BlownFuse(Interruption):
    word = FaultKind.BLOWN_FUSE
    words = tr("blown")
    shown = ("burst", 0.3)

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        yield from lines_of(board, part)

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        return cut_line(circuit, fault)
