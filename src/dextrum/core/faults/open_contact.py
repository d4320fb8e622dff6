"""A contact of the receptacle that does not touch the plug: bent back, worn or dirty."""

from __future__ import annotations

from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board
from dextrum.core.circuit.edit import Edit, cut_owner
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.interruption import Interruption
from dextrum.core.faults.kind import address_of
from dextrum.tongue import tr


class OpenContact(Interruption):
    word = FaultKind.OPEN_CONTACT
    words = tr("contact {t} open")
    clean_port = 0.55
    dirt_hides = True
    moves_with_plug = True
    after_fitting = 1.0

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        return cut_owner(circuit, fault.part, f"{address_of(fault)}/contact")
