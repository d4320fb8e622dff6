"""A step of the rework plan was done, or left out."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class ReworkStep(EntryKind):
    """A step of the plan in hand. part and recipe: of the repair it belongs to; number: of the step in its recipe, from
    1; skipped: why it was left out, empty where it was done; words: what it said."""

    part: str
    recipe: str
    number: int
    skipped: str = ""
    words: str = ""
    kind: Literal["rework_step"] = "rework_step"

    def __post_init__(self) -> None:
        short_text(self.part, self.recipe, self.skipped, self.words)
        if not 1 <= self.number <= 200:
            raise ValueError(tr("step {number}; expected 1 to 200", number=self.number))

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.rework_steps.append((self, at))
