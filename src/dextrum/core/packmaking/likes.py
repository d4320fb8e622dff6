"""Parts put onto a board because they look like one that was placed: next designators, nets unknown, turned as seen."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from dextrum.core.board import Board, Component, Side
from dextrum.core.packmaking.placing import PartToPlace, next_designator, with_part
from dextrum.tongue import tr


@dataclass(frozen=True)
class PlaceOfLike:
    """Where a part would lie, in mm. turned: by a quarter against the one it is like. likeness: up to 1."""

    x_mm: float
    y_mm: float
    turned: bool
    likeness: float


def free_designators(board: Board, like: str, count: int) -> tuple[str, ...]:
    """The next so many of a designator's kind that no part has."""
    there, name = {part.designator for part in board.components}, like
    found: list[str] = []
    while len(found) < count:
        following = next_designator(name)
        if following == name:
            raise ValueError(tr("{like} has no number to count on from; expected a designator such as C14", like=like))
        name = following
        if name not in there:
            found.append(name)
    return tuple(found)


def with_likes(board: Board, like: Component, places: Iterable[PlaceOfLike]) -> Board:
    """The pack with a part more at each place. Raises ValueError with the one that can't be."""
    taken = tuple(places)
    names = free_designators(board, like.designator, len(taken))
    for name, place in zip(names, taken, strict=True):
        wide, high = (like.height_mm, like.width_mm) if place.turned else (like.width_mm, like.height_mm)
        part = PartToPlace(name, like.kind, tuple((terminal.name, "") for terminal in like.terminals), wide, high)
        board = with_part(board, part, like.side, place.x_mm, place.y_mm)
    return board


@dataclass(frozen=True)
class PhotoOverBoard:
    """A photo set right to the outline's box: pixels to millimetres, the bottom mirrored as it is seen turned over."""

    board: Board
    side: Side
    columns: int
    rows: int

    def _box(self) -> tuple[float, float, float, float]:
        xs, ys = zip(*self.board.outline_mm, strict=True)
        return min(xs), min(ys), max(xs) - min(xs), max(ys) - min(ys)

    def size(self, wide_mm: float, high_mm: float) -> tuple[float, float]:
        """In pixels."""
        _, _, wide, high = self._box()
        return wide_mm * self.columns / wide, high_mm * self.rows / high

    def pixel(self, x_mm: float, y_mm: float) -> tuple[float, float]:
        left, top, wide, high = self._box()
        across = (x_mm - left) / wide
        return (1.0 - across if self.side is Side.BOTTOM else across) * self.columns, (y_mm - top) / high * self.rows

    def place(self, x: float, y: float) -> tuple[float, float]:
        """In millimetres."""
        left, top, wide, high = self._box()
        across = x / self.columns
        return left + (1.0 - across if self.side is Side.BOTTOM else across) * wide, top + y / self.rows * high
