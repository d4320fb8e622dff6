"""Where the rails of a board are read with power, as its parts come and go."""

from __future__ import annotations

from dataclasses import replace

from dextrum.core.board import Board, ComponentKind, Point, RailCheck

LEAST_SURE = 0.95
"""Chance that an end is on its net, from which a rail is read there: a volt that is missing names a chip, so what a
template or a guess has proposed is no place for it."""


def rail_point(board: Board, net: str) -> Point | None:
    """Where a tip is put on a net, beside ground: an end that is surely on it, where least has to come off, and of
    those a capacitor's, which is large enough. None where there is no such end."""
    kinds = {part.designator: part.kind for part in board.components}
    return min((point for point in board.points if point.to is None and point.id not in board.port_points
                and not board.net_is_unknown(point.at) and board.net_of(point.at) == net
                and board.sureness.get(point.at, 1.0) >= LEAST_SURE), default=None, key=lambda point: (
                    board.access_order.get(point.access, 0),
                    kinds.get(point.at.partition(".")[0]) is not ComponentKind.CAPACITOR))


def rails_after(before: Board, after: Board) -> tuple[RailCheck, ...]:
    """The rails of a board as it was, where they can be read on the board as it is: elsewhere on the same net where the
    point has gone with its part; not at all where there is no other, or what the rail tells of is told of no more."""
    functions = {function.id for function in after.functions}
    found = []
    for check in before.rail_checks:
        if any(name.replace("{o}", way) not in functions for name in check.functions for way in "ab"):
            continue
        point = after.point_by_id.get(check.point) or rail_point(after, before.net_of_point[check.point])
        if point is not None:
            found.append(check if point.id == check.point else replace(check, point=point.id, access=point.access))
    return tuple(found)
