"""Where a probe lands on the simulated board: ends by name, and the end that lies nearest to a place."""

from __future__ import annotations

from collections.abc import Sequence

from dextrum.core.board import Board, Side
from dextrum.tongue import tr

REACH_MM = 0.8
"""A tip that is set down so near to an end touches it; farther off it stands on the mask."""


def end_near(board: Board, side: Side, x_mm: float, y_mm: float) -> str:
    """The end that a tip set down there touches, such as 'C14.1'; '' on bare board."""
    near = [(float((p.x_mm - x_mm) ** 2 + (p.y_mm - y_mm) ** 2), p.at) for p in board.points
            if p.to is None and p.side is side and not p.at.startswith("@")]
    apart, end = min(near, default=(float("inf"), ""))
    return end if apart <= REACH_MM**2 else ""


def end_named(board: Board, name: str) -> str:
    """The end that a point or an end is called by, whatever the case; '' where there is none."""
    wanted = name.strip().casefold()
    for point in board.points:
        if point.id.casefold() == wanted and point.to is None:
            return point.at
    for part in board.components:
        for terminal in part.terminals:
            if f"{part.designator}.{terminal.name}".casefold() == wanted:
                return f"{part.designator}.{terminal.name}"
    return ""


def end_told(board: Board, told: object) -> str:
    """An end by its name, or by ['top', 12.5, 8]; '' where nothing lies there. Raises ValueError for neither."""
    if isinstance(told, str):
        return end_named(board, told)
    if isinstance(told, Sequence) and len(told) == 3:
        return end_near(board, Side(str(told[0])), float(told[1]), float(told[2]))
    raise ValueError(tr("{told!r} is neither an end nor a place", told=told))
