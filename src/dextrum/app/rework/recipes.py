"""The recipes at hand: those that came with the program, and the shop's own, which stand in their place."""

from __future__ import annotations

from pathlib import Path

from dextrum.app.places import shipped
from dextrum.core.board import Board
from dextrum.core.rework.recipe import RETROFIT, Recipe
from dextrum.core.trail import Rework, ReworkPlan
from dextrum.errors import DextrumError
from dextrum.store.jobs import JobStore
from dextrum.store.recipes import load_recipe

CHOSEN = "recipe."
"""Setting: the shop's usual recipe, by kind of part and action."""


class RecipeBook:
    """troubles: what is wrong with files that can't be used."""

    def __init__(self, own: Path | None = None) -> None:
        self.recipes: dict[str, Recipe] = {}
        self.troubles: tuple[str, ...] = ()
        troubles = []
        for folder in (shipped() / "recipes", *((own,) if own is not None and own.is_dir() else ())):
            for place in sorted(folder.glob("*.toml")):
                try:
                    recipe = load_recipe(place)
                except DextrumError as problem:
                    troubles.append(str(problem))
                    continue
                self.recipes[recipe.id] = recipe
        self.troubles = tuple(troubles)

    def for_part(self, board: Board | None, part: str, action: str) -> tuple[Recipe, ...]:
        """Recipes for a part of the board, or for a trace, by what is done to it. A part that a kit can stand in for
        may be replaced by it."""
        kind = kind_of_part(board, part)
        wanted = {action}
        if action == "replace" and board is not None and any(kit.part == part for kit in board.kits):
            wanted.add(RETROFIT)
        return tuple(recipe for recipe in self.recipes.values() if kind in recipe.kinds and recipe.action in wanted)


def kind_of_part(board: Board | None, part: str) -> str:
    """The word by which recipes name its kind; empty for what is no part."""
    if part.startswith("trace"):
        return "trace"
    component = board.component_by_designator.get(part) if board is not None else None
    return component.kind.value if component is not None else part.lower().replace(" ", "_")


def recipe_followed(store: JobStore, board: Board | None, plan: ReworkPlan | None, rework: Rework) -> Recipe | None:
    """That of the plan in hand for this repair, else the shop's usual one; None where there is none. Raises
    StoreError."""
    book = RecipeBook(store.folder / "recipes")
    named = next((r.recipe for r in plan.repairs if r.part == rework.part), "") if plan is not None else ""
    recipe = book.recipes.get(named)
    if recipe is None or rework.action not in (recipe.action, "replace" if recipe.action == RETROFIT else ""):
        kind = kind_of_part(board, rework.part)
        recipe = usual_recipe(store, book.for_part(board, rework.part, rework.action), kind, rework.action)
    return recipe


def usual_recipe(store: JobStore, found: tuple[Recipe, ...], kind: str, action: str) -> Recipe | None:
    """The shop's usual one, else the usual one of the recipes; None where there is none. Raises StoreError."""
    chosen = store.setting(f"{CHOSEN}{kind}.{action}")
    return next((recipe for recipe in found if recipe.id == chosen), usual_of(found))


def usual_of(found: tuple[Recipe, ...]) -> Recipe | None:
    """The usual one of some recipes, else the first; None of none."""
    return next((recipe for recipe in found if recipe.usual), found[0] if found else None)


def make_usual(store: JobStore, recipe: Recipe, kind: str) -> None:
    """Raises StoreError."""
    store.set_setting(f"{CHOSEN}{kind}.{recipe.action}", recipe.id)
