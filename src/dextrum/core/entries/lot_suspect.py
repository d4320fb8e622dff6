"""A part of this job came from a lot that fails more than it should."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class LotSuspect(EntryKind):
    """A part of this job came from a lot that fails more than it should; what it tells counts for the part as it was
    fitted, see `core/diagnosis/after_repair`. lot: of which. chance: that a part of it is bad. words: the evidence."""

    ends_wait = False
    by_hands = False
    part: str
    lot: str
    chance: float
    words: str = ""
    kind: Literal["lot_suspect"] = "lot_suspect"

    def __post_init__(self) -> None:
        if not self.part or not self.lot:
            raise ValueError(tr("no part or no lot is named; expected both"))
        require(self.chance, 0.0, 1.0, "chance")
        short_text(self.part, self.lot, self.words)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.suspect_lots[self.part] = self
