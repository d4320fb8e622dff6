"""A soldered joint that lifted or never took: a leg of a part, or a contact's tail."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.breaking import CHIP_PIN, OTHER_PIN, SIGNAL_PIN
from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.circuit.edit import Edit, cut_owner, cut_terminal
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.interruption import Interruption
from dextrum.core.faults.kind import Hit, Place, address_of, live_terminals
from dextrum.tongue import tr


class LiftedJoint(Interruption):
    word = FaultKind.LIFTED_JOINT
    words = tr("joint of {t} lifted")
    mended_by = frozenset({"replace", "reflow"})
    shown = ("askew", 0.25)
    clean_port = 0.8
    loosens = True
    moves_with_plug = True
    after_fitting = 1.0
    by_heat = 1.0

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        if part.kind is ComponentKind.CAPACITOR:  # either end does the same
            yield ((live_terminals(board, part) or [part.terminals[0].name])[0],), ""
            return
        yield from super().places(board, part)

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        if board.component_by_designator[fault.part].kind is ComponentKind.RECEPTACLE:
            return cut_owner(circuit, fault.part, f"{address_of(fault)}/joint")
        return cut_terminal(circuit, fault.part, fault.terminals[0])

    def breaks(self, hit: Hit, ohms: float) -> float:
        if hit.of is not ComponentKind.IC:
            return super().breaks(hit, ohms)
        # A chip without one of its supply pins, or of the pins it supplies others from, does nothing.
        if hit.chip and hit.feed:
            return CHIP_PIN
        return max(SIGNAL_PIN if hit.signal else 0.0, OTHER_PIN if hit.pin else 0.0)
