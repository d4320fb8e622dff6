"""Known-good of a sister revision, where this one has none: the same point on the same net, with a wider tolerance."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

from dextrum.core.board import Board, Point
from dextrum.core.reference.table import PointReference, ReferenceTable

SISTER_VOLTS = 0.03
"""How far a point's drop moves between revisions that differ in a chip's make or a part beside it."""
SISTER_LOG_OHMS = 0.1
SISTER_FREEDOM = 4.0


def _same_place(board: Board, point: Point, sister: Board) -> bool:
    other = sister.point_by_id.get(point.id)
    if other is None or other.kind != point.kind or (other.to is None) != (point.to is None):
        return False
    try:
        return all(board.net_of(here) == sister.net_of(there) for here, there in
                   ((point.at, other.at), (point.to or point.at, other.to or other.at)))
    except KeyError:
        return False


def widened(reference: PointReference) -> PointReference:
    """A sister's reference as it counts here. Where good boards read OL, this one most likely does too."""
    if math.isinf(reference.centre):
        return replace(reference, own_meter=False, origin="sister")
    apart = SISTER_VOLTS if reference.method.is_diode else SISTER_LOG_OHMS
    return replace(reference, spread=math.hypot(reference.spread, apart),
                   freedom=min(reference.freedom, SISTER_FREEDOM), own_meter=False, origin="sister")


def with_sisters(board: Board, table: ReferenceTable,
                 sisters: Iterable[tuple[Board, ReferenceTable]]) -> ReferenceTable:
    """The table with what sister revisions read at points that no board of this revision has been read at. Of several
    sisters the one with most boards speaks."""
    added: dict[tuple[str, object], PointReference] = {}
    for sister, known in sisters:
        for (name, method), reference in known.by_point.items():
            point = board.point_by_id.get(name)
            if point is None or (name, method) in table.by_point or not _same_place(board, point, sister):
                continue
            before = added.get((name, method))
            if before is None or before.boards < reference.boards:
                added[name, method] = widened(reference)
    if not added:
        return table
    return replace(table, by_point={**added, **table.by_point})  # type: ignore[dict-item]
