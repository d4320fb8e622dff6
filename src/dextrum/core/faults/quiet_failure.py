"""A chip that is dead though all its pins read well: it shows by what no longer works, seldom by its looks."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import NOTHING, Edit
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.kind import Hit, KindOfFault, Place
from dextrum.tongue import tr


class QuietFailure(KindOfFault):
    word = FaultKind.QUIET_FAILURE
    words = tr("dead, although its readings are normal")
    quiet = True
    by_heat = 0.1
    left_by_repair = "dead_again"
    shown = ("burst", 0.04)

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        yield (), ""

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        return NOTHING

    def breaks(self, hit: Hit, ohms: float) -> float:
        return 1.0 if hit.chip else 0.0
