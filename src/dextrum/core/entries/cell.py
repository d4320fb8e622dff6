"""The cell's place: what is in it."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import NONE, Activity

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.entries.draft import FactsDraft
    from dextrum.core.entries.moment import Moment



@dataclass(frozen=True)
class Cell(EntryKind):
    """The cell's place: unplugged, the unit's own plugged in, a known-good one swapped in, or a new one fitted.
    lot: of the shop's stock that a new one was taken from; empty where nobody said."""

    version = 3  # 2: a new one, 3: lot
    state: Literal["unplugged", "plugged", "known_good", "new"]
    lot: str = ""
    kind: Literal["cell"] = "cell"

    def __post_init__(self) -> None:
        short_text(self.lot)

    def moves(self, moment: Moment) -> Moment:
        return replace(moment, cell=self.state)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.cell = self.state
        if self.state == "new":
            facts.swollen = False

    def does(self, board: Board) -> frozenset[Activity]:
        return NONE if self.state == "unplugged" else frozenset({Activity.CELL})
