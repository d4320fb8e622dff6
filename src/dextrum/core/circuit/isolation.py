"""Loads taken off the network: a connector unplugged, a link, filter or chip lifted, or one pin of a part.

An address is 'PART' for the whole part and 'PART.TERMINAL' for one pin. What is off conducts nothing, and takes the
faults that are inside it along; a fault elsewhere on the rail stays.
"""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.board import Fault, FaultKind
from dextrum.core.circuit.edit import NOTHING, Edit, cut_part, cut_terminal
from dextrum.core.circuit.network import Circuit

Isolated = frozenset[str]
WHOLE_BOARD: Isolated = frozenset()
STAYS = frozenset({FaultKind.BROKEN_TRACE, FaultKind.MISSING_PART})
"""Faults of the copper, and of a part that isn't there anyway."""


def isolation_edit(circuit: Circuit, isolated: Iterable[str]) -> Edit:
    """What taking these addresses off cuts. Unknown addresses cut nothing."""
    edit = NOTHING
    for address in sorted(isolated):
        part, _, terminal = address.partition(".")
        edit = edit | (cut_terminal(circuit, part, terminal) if terminal else cut_part(circuit, part))
    return edit


def taken_along(fault: Fault, isolated: Isolated) -> bool:
    """Whether the fault is off the board with what was isolated."""
    if not isolated or fault.kind in STAYS:
        return False
    return fault.part in isolated or (len(fault.terminals) == 1 and f"{fault.part}.{fault.terminals[0]}" in isolated)
