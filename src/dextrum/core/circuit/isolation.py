"""Loads taken off the network: a connector unplugged, a link, filter or chip lifted, or one pin of a part.

An address is 'PART' for the whole part and 'PART.TERMINAL' for one pin. What is off conducts nothing.
"""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.circuit.edit import NOTHING, Edit, cut_part, cut_terminal
from dextrum.core.circuit.network import Circuit

Isolated = frozenset[str]
WHOLE_BOARD: Isolated = frozenset()


def isolation_edit(circuit: Circuit, isolated: Iterable[str]) -> Edit:
    """What taking these addresses off cuts. Unknown addresses cut nothing."""
    edit = NOTHING
    for address in sorted(isolated):
        part, _, terminal = address.partition(".")
        edit = edit | (cut_terminal(circuit, part, terminal) if terminal else cut_part(circuit, part))
    return edit
