"""How far the heat of a repair softens joints, by the heat model and the recipe that was followed."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.core.assumptions.repairs import FAR_SIDE_SOFTENED, SOFTENS_WITHIN
from dextrum.core.board import Board, ComponentKind
from dextrum.core.diagnosis.heat_reach import LEAST_SOFTENED, HeatReach, ReachByDistance

if TYPE_CHECKING:
    from dextrum.app.rework.recipes import RecipeBook


class SolvedReach:
    """Of one board; each repair is worked out once, in some fifty milliseconds, off the window's thread. Where the pack
    says nothing of sizes, or the recipe brings no hot air, what lies near counts, as without a model."""

    def __init__(self, board: Board, own_recipes: Path | None = None) -> None:
        """own_recipes: the shop's folder of recipes."""
        self.board = board
        self._own = own_recipes
        self._near: HeatReach = ReachByDistance(board)
        self._known: dict[tuple[str, str, str], Mapping[str, float]] = {}
        self._book: RecipeBook | None = None

    def softened(self, part: str, action: str = "replace", recipe: str = "") -> Mapping[str, float]:
        key = part, action, recipe
        if key not in self._known:
            self._known[key] = self._solved(part, action, recipe)
        return self._known[key]

    def _solved(self, part: str, action: str, named: str) -> Mapping[str, float]:
        from dextrum.app.rework.heating import softening
        from dextrum.app.rework.recipes import RecipeBook, usual_of
        from dextrum.errors import DextrumError

        if self._book is None:
            self._book = RecipeBook(self._own)
        recipe = self._book.recipes.get(named) or usual_of(self._book.for_part(self.board, part, action))
        place = self.board.component_by_designator.get(part)
        if recipe is None or place is None:
            return self._near.softened(part, action, named)
        try:
            celsius, melts_at = softening(self.board, part, recipe)
        except DextrumError:  # no outline, no sizes, or no hot air in the recipe
            return self._near.softened(part, action, named)
        found = {}
        for name, degrees in celsius.items():
            other = self.board.component_by_designator[name]
            if other.kind is ComponentKind.RECEPTACLE:
                continue
            chance = _chance_softened(degrees - melts_at) * (1.0 if other.side is place.side else FAR_SIDE_SOFTENED)
            if chance >= LEAST_SOFTENED:
                found[name] = chance
        return found


def _chance_softened(above: float) -> float:
    """By how many degrees a joint is above melting, in the model."""
    from math import exp

    return 1.0 / (1.0 + exp(-above / SOFTENS_WITHIN))
