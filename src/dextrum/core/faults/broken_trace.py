"""Copper that is broken between two places of a net."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.interruption import Interruption
from dextrum.core.faults.kind import Place
from dextrum.tongue import tr


class BrokenTrace(Interruption):
    word = FaultKind.BROKEN_TRACE
    words = tr("trace broken")
    of_copper = True
    stays_without_part = True
    mended_by = frozenset({"wire"})

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        """None: a pack lists the traces that break, see `listing`."""
        return iter(())

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        return Edit(moved=dict.fromkeys(fault.terminals, new_node))
