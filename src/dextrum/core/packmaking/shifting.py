"""A placed part put elsewhere, turned, put on the other side, or followed by others: its nets and what was read of it
stay."""

from __future__ import annotations

from dataclasses import dataclass, replace

from dextrum.core.board import Board, Component, ComponentKind, Point
from dextrum.core.packmaking.likes import PlaceOfLike, free_designators, with_likes
from dextrum.tongue import tr

GRID_MM = 0.5
"""What a place is snapped to: half of that is less than most hands are off on a photo."""
MOST_IN_A_ROW = 100


@dataclass(frozen=True)
class Shift:
    """Where a part is to lie. quarters: by how many quarter turns, clockwise as the board is seen from the top.
    mirrored: whether it goes to the other side, left for right, as the board is turned over; before it is turned."""

    x_mm: float
    y_mm: float
    quarters: int = 0
    mirrored: bool = False

    def snapped(self) -> Shift:
        """On the grid."""
        return replace(self, x_mm=round(self.x_mm / GRID_MM) * GRID_MM, y_mm=round(self.y_mm / GRID_MM) * GRID_MM)


def movable(board: Board, designator: str) -> Component:
    """The part, if it is one that was placed, or the port. Raises ValueError for what isn't there."""
    part = board.component_by_designator.get(designator)
    if part is None or part.undescribed:
        raise ValueError(tr("{designator} is no part that was placed; expected a designator on the plan",
                            designator=designator[:12]))
    return part


def copyable(board: Board, designator: str) -> Component:
    """The part, if others like it may lie on the board. Raises ValueError as `movable`, and for the port."""
    part = movable(board, designator)
    if part.kind is ComponentKind.RECEPTACLE:
        raise ValueError(tr("{designator} is the port; expected a part of which there are more",
                            designator=designator[:12]))
    return part


def shifted(board: Board, designator: str, shift: Shift) -> Board:
    """The pack with the part there. Raises ValueError as `movable`, and for a place beside the board."""
    part = movable(board, designator)
    xs, ys = zip(*board.outline_mm, strict=True)
    if not (min(xs) <= shift.x_mm <= max(xs) and min(ys) <= shift.y_mm <= max(ys)):
        raise ValueError(tr("{x_mm:.1f} {y_mm:.1f} lies beside the board; expected a place on it", x_mm=shift.x_mm,
                            y_mm=shift.y_mm))
    wide, high = (part.height_mm, part.width_mm) if shift.quarters % 2 else (part.width_mm, part.height_mm)
    side, seen = (part.side.other, -1.0) if shift.mirrored else (part.side, 1.0)
    there = replace(part, x_mm=round(shift.x_mm, 2), y_mm=round(shift.y_mm, 2), width_mm=wide, height_mm=high,
                    side=side)

    def along(point: Point) -> Point:
        if point.part != designator or point.to is not None:
            return point
        x, y = turned_about(seen * (point.x_mm - part.x_mm), point.y_mm - part.y_mm, shift.quarters)
        return replace(point, x_mm=round(there.x_mm + x, 2), y_mm=round(there.y_mm + y, 2), side=side)

    return replace(board, components=tuple(there if one is part else one for one in board.components),
                   points=tuple(along(point) for point in board.points))


def copied(board: Board, designator: str, shift: Shift) -> Board:
    """The pack with another part like it there, turned and mirrored as said, its nets unknown. Raises ValueError as
    `copyable` and `shifted`."""
    part = copyable(board, designator)
    name = free_designators(board, designator, 1)[0]
    return shifted(with_likes(board, part, (PlaceOfLike(part.x_mm, part.y_mm, False, 1.0),)), name, shift)


def turned_about(x: float, y: float, quarters: int) -> tuple[float, float]:
    """A place about the origin after so many quarter turns."""
    for _ in range(quarters % 4):
        x, y = -y, x
    return x, y


def row_of(first: tuple[float, float], last: tuple[float, float], count: int) -> tuple[PlaceOfLike, ...]:
    """Places of parts in a row, from its first to its last. Raises ValueError for fewer than two, or too many."""
    if not 2 <= count <= MOST_IN_A_ROW:
        raise ValueError(tr("{count} in a row; expected 2 to {most_in_a_row}", count=count,
                            most_in_a_row=MOST_IN_A_ROW))
    return tuple(PlaceOfLike(round(first[0] + (last[0] - first[0]) * k / (count - 1), 3),
                             round(first[1] + (last[1] - first[1]) * k / (count - 1), 3), False, 1.0)
                 for k in range(count))
