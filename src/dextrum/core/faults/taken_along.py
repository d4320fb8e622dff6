"""Which faults leave the board with a part that is taken off: those inside it; one elsewhere on the rail stays."""

from __future__ import annotations

from dextrum.core.board.faults import Fault
from dextrum.core.circuit.isolation import Isolated
from dextrum.core.faults.registry import KINDS


def taken_along(fault: Fault, isolated: Isolated) -> bool:
    """Whether the fault is off the board with what was isolated."""
    if not isolated or KINDS[fault.kind].stays_without_part:
        return False
    return fault.part in isolated or (len(fault.terminals) == 1 and f"{fault.part}.{fault.terminals[0]}" in isolated)
