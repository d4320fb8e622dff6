"""The order in which several points are quickest with two probes.

What is open already comes first, one side at a time, then the nearest next.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from functools import partial

from dextrum.core.board import Board
from dextrum.core.board.model import Point


def _away(one: Point, other: Point) -> float:
    return math.hypot(one.x_mm - other.x_mm, one.y_mm - other.y_mm)


def probing_order(board: Board, points: Iterable[str], start: str = "") -> tuple[str, ...]:
    """Points by access level, then side (beginning with that of `start`), then short travel from one to the next.

    Unknown points are left out; ties keep the given order.
    """
    left = [board.point_by_id[p] for p in dict.fromkeys(points) if p in board.point_by_id]
    here = board.point_by_id.get(start)
    ordered: list[str] = []
    while left:
        level = min(board.access_order.get(p.access, 0) for p in left)
        open_now = [p for p in left if board.access_order.get(p.access, 0) == level]
        if here is not None and any(p.side is here.side for p in open_now):
            open_now = [p for p in open_now if p.side is here.side]
        elif here is not None or open_now:
            open_now = [p for p in open_now if p.side is open_now[0].side]
        following = open_now[0] if here is None else min(open_now, key=partial(_away, here))
        ordered.append(following.id)
        left.remove(following)
        here = following
    return tuple(ordered)
