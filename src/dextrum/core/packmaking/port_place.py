"""The port of an own board put where the photo shows it, as large as it is: its contacts go along."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from dextrum.core.board import Board, Component, ComponentKind, Point, Side


def port_named(board: Board | None, text: str) -> Component | None:
    """The port that a typed line begins with; None where it names another part."""
    words = text.upper().split()
    part = board.component_by_designator.get(words[0]) if board is not None and words else None
    return part if part is not None and part.kind is ComponentKind.RECEPTACLE else None


def with_port_at(board: Board, port: Component, side: Side, x_mm: float, y_mm: float,
                 size_mm: tuple[float, float] | None = None) -> Board:
    """The pack with its port there; its contacts keep their order and stretch with it. size_mm: None as it is."""
    wide, high = size_mm or (port.width_mm, port.height_mm)
    across, down = wide / port.width_mm, high / port.height_mm
    there = replace(port, side=side, x_mm=round(x_mm, 2), y_mm=round(y_mm, 2), width_mm=wide, height_mm=high)

    def along(point: Point) -> Point:
        if point.part != port.designator or point.to is not None:
            return point
        return replace(point, side=side, x_mm=round(there.x_mm + (point.x_mm - port.x_mm) * across, 2),
                       y_mm=round(there.y_mm + (point.y_mm - port.y_mm) * down, 2))

    points: Iterable[Point] = map(along, board.points)
    return replace(board, components=tuple(there if one is port else one for one in board.components),
                   points=tuple(points))
