"""What faults have in common that connect: they break what needs one of the nets through or clear, by their ohms."""

from __future__ import annotations

from abc import ABC

from dextrum.core.assumptions.breaking import OTHER_PIN, SURE
from dextrum.core.board.faults import Fault
from dextrum.core.board.kinds import ComponentKind
from dextrum.core.board.model import Board
from dextrum.core.circuit.edit import Edit, short
from dextrum.core.circuit.network import Circuit
from dextrum.core.faults.kind import Hit, KindOfFault, Sizes, address_of

HARD: Sizes = ((0.3, 0.6), (3.0, 0.4))
"""Sizes of what is as good as metal: a burst capacitor or a pierced chip, and the same through a little carbon."""

LEAST_LOAD_OHMS = 1000.0
"""What a line or rail is taken to carry where its parts carry less: severities are stated beside it. A processor's rail
of some tens of ohms is made for amperes, and bears a leak that a line of kilohms does not."""


class Connection(KindOfFault, ABC):
    """A fault that joins two nets, or one and ground."""

    def sizes(self, of: ComponentKind | None) -> Sizes:
        return HARD

    def edit(self, board: Board, circuit: Circuit, fault: Fault, ohms: float, new_node: int) -> Edit:
        other = address_of(fault, 1) if len(fault.terminals) == 2 else None
        return short(circuit, address_of(fault), other, ohms)

    def breaks(self, hit: Hit, ohms: float) -> float:
        if hit.joined:
            return self.severity(ohms * max(1.0, LEAST_LOAD_OHMS / hit.load_ohms))
        # What only leaks has not hurt the rest of its chip.
        return OTHER_PIN if hit.pin and not self.may_spare_rail else 0.0

    def severity(self, ohms: float) -> float:
        """Chance that it disturbs what needs its nets."""
        return SURE
