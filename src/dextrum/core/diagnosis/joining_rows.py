"""Which rows do nothing but join two pieces of copper: to a meter those are one, while the fault is there."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import numpy as np

from dextrum.core.assumptions.readings import COPPER_OHMS
from dextrum.core.circuit.edit import Edit
from dextrum.core.circuit.network import GROUND, Circuit


def joined_rows(circuit: Circuit, edits: Iterable[Edit], copper_of_node: list[int], order: Mapping[int, int]) -> (
        Mapping[tuple[int, int], np.ndarray]):
    """Rows whose fault does nothing but join two pieces of copper through so little that they read alike, (K,), by the
    two, the one that comes first in `order` first. order: pieces of copper that have a point; others are left out."""
    found: dict[tuple[int, int], list[int]] = {}
    for row, edit in enumerate(edits):
        joins = edit.joins(circuit)
        nodes = {node for join in joins for node in join[:2]}
        if not joins or GROUND in nodes or max(nodes) >= len(copper_of_node):
            continue
        # What a bridge within a part puts back along its own lines stays on one piece of copper.
        over = [(copper_of_node[a], copper_of_node[b], ohms) for a, b, ohms in joins
                if copper_of_node[a] != copper_of_node[b]]
        coppers = {copper for a, b, _ in over for copper in (a, b)}
        if len(coppers) == 2 and coppers <= order.keys() and 1.0 / sum(1.0 / ohms for _, _, ohms in over) < COPPER_OHMS:
            first, second = sorted(coppers, key=order.__getitem__)
            found.setdefault((first, second), []).append(row)
    return {pair: np.array(rows) for pair, rows in found.items()}
