"""Which repairs were planned, in which order and by which recipes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

MOST_REPAIRS = 40


@dataclass(frozen=True)
class PlannedRepair:
    """part: designator, or 'trace NAME'; recipe: its id; version: of the recipe, as it was then."""

    part: str
    recipe: str
    version: str = ""

    def __post_init__(self) -> None:
        short_text(self.part, self.recipe, self.version)
        if not self.part.strip() or not self.recipe.strip():
            raise ValueError(tr("a planned repair has no part or no recipe; expected both"))


@dataclass(frozen=True)
class ReworkPlan(EntryKind):
    """The plan that is followed from here on. repairs: in their order; none ends the plan that was."""

    repairs: tuple[PlannedRepair, ...]
    kind: Literal["rework_plan"] = "rework_plan"

    def __post_init__(self) -> None:
        if len(self.repairs) > MOST_REPAIRS:
            raise ValueError(tr("{count} repairs in a plan; expected at most {most_repairs}", count=len(self.repairs),
                                most_repairs=MOST_REPAIRS))

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.rework_plan, facts.rework_steps, facts.planned_from = self, [], len(facts.reworks)
