"""One line of a filter, or a coil, that is cut inside."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.board.faults import Fault, signal_of
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit, cut_owner
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.interruption import Interruption
from dextrum.core.faults.kind import Place, address_of
from dextrum.tongue import tr


class OpenWinding(Interruption):
    word = FaultKind.OPEN_WINDING
    words = tr("line {t} open")
    after_fitting = 1.0

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        yield from lines_of(board, part)

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        return cut_line(circuit, fault)


def lines_of(board: Board, part: Component) -> Iterator[Place]:
    """Each line that goes through a part, by its number and signal."""
    for number, line in enumerate(part.lines, start=1):
        yield line, f"{number} ({signal_of(board, part.terminal(line[0]).net)})"


def cut_line(circuit: Circuit, fault: Fault) -> Edit:
    """The line through the part that the fault is about."""
    return cut_owner(circuit, fault.part, f"{address_of(fault)}-{fault.terminals[1]}")
