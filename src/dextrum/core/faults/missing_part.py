"""A part that is not there: knocked off, or taken off and never put back."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.breaking import SURE
from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit, cut_part
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.interruption import Interruption
from dextrum.core.faults.kind import Hit, Place
from dextrum.tongue import tr


class MissingPart(Interruption):
    word = FaultKind.MISSING_PART
    words = tr("missing or knocked off")
    stays_without_part = True
    shown = ("missing", 0.9)
    counted = 0.97
    by_heat = 1.0

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        yield (), ""

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        return cut_part(circuit, fault.part)

    def nanofarads(self, own: float, size: float) -> float:
        return 0.0

    def breaks(self, hit: Hit, ohms: float) -> float:
        return SURE if hit.chip else super().breaks(hit, ohms)
