"""Which parts heat on one of them may have hurt, and how surely their joints softened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Protocol

import numpy as np

from dextrum.core.assumptions.repairs import HEAT_REACH_MM
from dextrum.core.board import Board, Component, ComponentKind

LEAST_SOFTENED = 0.05
"""Chance below which a part counts as not reached."""


class HeatReach(Protocol):
    """What reckons how far the heat of a repair goes on one board."""

    def softened(self, part: str, action: str = "replace", recipe: str = "") -> Mapping[str, float]:
        """Designators of other parts, and how likely the heat of a repair softens their joints; those that it hardly
        does are left out. recipe: id of the one that was planned, empty where none was. None of a part that the pack
        doesn't know."""
        ...


@dataclass(frozen=True)
class ReachByDistance:
    """Without a heat model: all that lies near on the same side, alike."""

    board: Board

    def softened(self, part: str, action: str = "replace", recipe: str = "") -> Mapping[str, float]:
        heated = self.board.component_by_designator.get(part)
        return {} if heated is None else {
            other.designator: 1.0 for other in self.board.components if _is_near(heated, other)}


def _is_near(heated: Component, other: Component) -> bool:
    if other is heated or other.side is not heated.side or other.kind is ComponentKind.RECEPTACLE or other.undescribed:
        return False
    reach = HEAT_REACH_MM + max(heated.width_mm, heated.height_mm) / 2.0
    return bool(np.hypot(other.x_mm - heated.x_mm, other.y_mm - heated.y_mm) < reach)


def lies_near(board: Board, part: str) -> frozenset[str]:
    """What lies near a part on its side, whether or not the heat model softens it: tweezers, nozzle and braid reach it,
    and the model's degrees are only a plan."""
    return frozenset(ReachByDistance(board).softened(part))


def looked_round(board: Board, reach: HeatReach, part: str) -> frozenset[str]:
    """What is counted and looked at round a part after heat: what the heat reached on its side, and what lies near."""
    heated = board.component_by_designator.get(part)
    return frozenset() if heated is None else lies_near(board, part) | frozenset(
        name for name in reach.softened(part) if board.component_by_designator[name].side is heated.side)
