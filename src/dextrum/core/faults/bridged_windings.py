"""The two lines of a filter that touch each other."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.breaking import CROSSED_DISTURB
from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.bridged_lines import bridged_half_way
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.connection import Connection
from dextrum.core.faults.kind import Place
from dextrum.tongue import tr


class BridgedWindings(Connection):
    word = FaultKind.BRIDGED_WINDINGS
    after_fitting = 0.2
    words = tr("its two lines are bridged")

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        yield (part.lines[0][0], part.lines[1][0]), ""

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        part = board.component_by_designator[fault.part]
        return bridged_half_way(circuit, fault.part, (part.lines[0], part.lines[1]), ohms)

    def severity(self, ohms: float) -> float:
        return CROSSED_DISTURB
