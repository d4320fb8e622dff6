"""Which parts heat on one of them may have hurt."""

from __future__ import annotations

import numpy as np

from dextrum.core.assumptions.repairs import HEAT_REACH_MM
from dextrum.core.board import Board, Component, ComponentKind


def heated_neighbours(board: Board, part: str) -> frozenset[str]:
    """Parts that heat on this one may have hurt; none where it is no part of the pack."""
    heated = board.component_by_designator.get(part)
    return frozenset() if heated is None else frozenset(
        other.designator for other in board.components if _is_near(heated, other))


def _is_near(heated: Component, other: Component) -> bool:
    if other is heated or other.side is not heated.side or other.kind is ComponentKind.RECEPTACLE:
        return False
    reach = HEAT_REACH_MM + max(heated.width_mm, heated.height_mm) / 2.0
    return bool(np.hypot(other.x_mm - heated.x_mm, other.y_mm - heated.y_mm) < reach)
