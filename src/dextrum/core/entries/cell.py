"""The cell's place: what is in it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import NONE, Activity

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.entries.draft import FactsDraft
    from dextrum.core.entries.moment import Moment



@dataclass(frozen=True)
class Cell(EntryKind):
    """The cell's place: unplugged, the unit's own plugged in, a known-good one swapped in, or a new one fitted."""

    version = 2  # 2: a new one
    state: Literal["unplugged", "plugged", "known_good", "new"]
    kind: Literal["cell"] = "cell"

    def moves(self, moment: Moment) -> Moment:
        return replace(moment, cell=self.state)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.cell = self.state
        if self.state == "new":
            facts.swollen = False

    def does(self, board: Board) -> frozenset[Activity]:
        return NONE if self.state == "unplugged" else frozenset({Activity.CELL})
