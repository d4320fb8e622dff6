"""The plan for a board: several repairs in the best order, and their steps in the order of the work.

Preparation that says the same for several repairs is done once, before the first of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from dextrum.core.board import Board, ComponentKind, Side
from dextrum.core.diagnosis.heat_reach import HeatReach
from dextrum.core.rework.order import OrderCost, Repair, best_order, cost_of
from dextrum.core.rework.recipe import Recipe, RecipeStep
from dextrum.tongue import tr

ONCE = ("prepare", "protect")
"""Phases whose steps, in the same words, are done once for all repairs."""


@dataclass(frozen=True)
class PlannedStep:
    """part, recipe and number (from 1) name it; words: with the part's name in them; last_of_part: after it the repair
    is recorded."""

    part: str
    recipe: Recipe
    number: int
    step: RecipeStep
    words: str
    last_of_part: bool = False

    @property
    def key(self) -> tuple[str, str, int]:
        return self.part, self.recipe.id, self.number


SOFTENED_AGAIN = 0.1
"""Chance that its joints soften from which a new part counts as heated once more: the order costs nothing, and one new
part in ten lost is dear. Range 0.05 to 0.5."""


def repair_of(board: Board, part: str, recipe: Recipe, heat: HeatReach | None = None) -> Repair:
    """Where it is and what heat it takes. heat: what reckons how far that goes; None: as far as the recipe says. A part
    that the pack does not place is at the corner and reaches nothing."""
    component = board.component_by_designator.get(part)
    if component is None:
        return Repair(part, "top", 0.0, 0.0, 0.0, recipe.heat)
    softens = None if heat is None else frozenset(
        name for name, chance in heat.softened(part, recipe.action, recipe.id).items() if chance >= SOFTENED_AGAIN)
    return Repair(part, component.side.value, component.x_mm, component.y_mm, recipe.reach_mm, recipe.heat,
                  component.kind is ComponentKind.CONNECTOR or component.heat_sensitive, softens=softens)


def covers(board: Board, one: str, other: str) -> bool:
    """Whether a part, once it is on, covers the other, or a point at which the other is measured."""
    above, below = board.component_by_designator.get(one), board.component_by_designator.get(other)
    if above is None or below is None or above is below:
        return False

    def beneath(side: Side, x_mm: float, y_mm: float) -> bool:
        return (side is above.side and abs(x_mm - above.x_mm) <= above.width_mm / 2
                and abs(y_mm - above.y_mm) <= above.height_mm / 2)

    points = (point for point in board.points if other in (point.part, (point.to or "").partition(".")[0])
              and one not in (point.part, (point.to or "").partition(".")[0]))
    return beneath(below.side, below.x_mm, below.y_mm) or any(beneath(p.side, p.x_mm, p.y_mm) for p in points)


def _measured_first(board: Board, made: Sequence[Repair]) -> list[Repair]:
    """What is covered by another repair's part is done, and so measured, before it. Of two that cover each other
    nothing can be said."""
    names = [repair.part for repair in made]
    return [replace(repair, after=frozenset(other for other in names if covers(board, repair.part, other)
                                            and not covers(board, other, repair.part))) for repair in made]


def ordered(board: Board, repairs: Sequence[tuple[str, Recipe]], heat: HeatReach | None = None) -> tuple[
        tuple[tuple[str, Recipe], ...], OrderCost, OrderCost]:
    """The repairs in their best order, what that costs, and what the order typed would. heat: as for `repair_of`.
    Where what lies under what goes round in a circle, only the heat decides."""
    made = _measured_first(board, [repair_of(board, part, recipe, heat) for part, recipe in repairs])
    by_part = dict(repairs)
    try:
        best = best_order(made)
    except ValueError:
        made = [replace(repair, after=frozenset()) for repair in made]
        best = best_order(made)
    return tuple((repair.part, by_part[repair.part]) for repair in best), cost_of(best), cost_of(made)


def steps_of(repairs: Sequence[tuple[str, Recipe]]) -> tuple[PlannedStep, ...]:
    """All steps in the order of the work."""
    planned: list[PlannedStep] = []
    seen: set[str] = set()
    for part, recipe in repairs:
        fits = [number for number, step in enumerate(recipe.step, start=1) if step.phase == "fit"]
        last = fits[-1] if fits else len(recipe.step)
        for number, step in enumerate(recipe.step, start=1):
            words = step.words.replace("{part}", part)
            if step.phase in ONCE and words in seen:
                continue
            seen.add(words)
            planned.append(PlannedStep(part, recipe, number, step, words, number == last))
    return tuple(planned)


def saving_words(best: OrderCost, typed: OrderCost) -> str:
    """What the best order spares beside the one typed; empty where it is the same."""
    said = []
    if typed.forbidden > best.forbidden:
        said.append(tr("what would be covered is measured first"))
    if typed.again > best.again:
        said.append(tr("{again} fewer heating{s} of what is new or tender", again=typed.again - best.again,
                       s="s" if typed.again - best.again > 1 else ""))
    if typed.turns > best.turns:
        said.append(tr("{turns} fewer turn{s} of the board", turns=typed.turns - best.turns,
                       s="s" if typed.turns - best.turns > 1 else ""))
    if not said and typed.small_first > best.small_first:
        said.append(tr("big heat before small"))
    return tr("This order: {said}.", said=", ".join(said)) if said else ""
