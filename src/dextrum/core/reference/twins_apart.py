"""Twins that read apart on the only good board: contacts that do the same, one each way up, read alike on good boards.

With one or two good boards nothing else tells that a line of theirs reads oddly, though the board works: another
maker's part, or a junction far out among its kind. Every later unit would read off on that line, and convict what lies
there. So what is known of both lines is as wide as they lie apart, along all copper that they reach through fuses,
coils and filters.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from dextrum.core.board import Board, Method
from dextrum.core.board.copper import joined_nets

if TYPE_CHECKING:
    from dextrum.core.reference.table import PointReference

APART_VOLTS = 0.03
"""Twins of the shipped boards lie within 5 mV on good boards; two touches and a lot of a part may add as much again."""
FEWEST_BOARDS = 3
"""From so many good boards on, their own middle tells."""
Table = Mapping[tuple[str, Method], "PointReference"]


def twins_apart(board: Board, table: Table, method: Method) -> tuple[tuple[str, str, float], ...]:
    """Points of contacts that are twins and by how many volts they read apart, where few boards say so."""
    found = []
    for port in board.ports:
        for names in port.twins:
            one, other = (table.get((f"{port.component}.{name}", method)) for name in names)
            if one is None or other is None or max(one.boards, other.boards) >= FEWEST_BOARDS:
                continue
            apart = abs(one.centre - other.centre)
            if math.isfinite(apart) and apart > APART_VOLTS:
                found.append((one.point, other.point, apart))
    return tuple(found)


def widened_by_twins(board: Board, table: Table, method: Method) -> dict[tuple[str, Method], PointReference]:
    """What becomes of the references of points on such lines."""
    pairs = twins_apart(board, table, method)
    if not pairs:
        return {}
    copper = joined_nets(board)
    apart: dict[str, float] = {}
    for one, other, volts in pairs:
        for name in (one, other):
            root = copper[board.net_of(board.point_by_id[name].at)]
            apart[root] = max(volts, apart.get(root, 0.0))
    found = {}
    for point in board.points:
        known = table.get((point.id, method))
        root = copper[board.net_of(point.at)]
        if known is not None and point.to is None and root in apart and math.isfinite(known.centre):
            found[point.id, method] = replace(known, spread=math.hypot(known.spread, apart[root]))
    return found
