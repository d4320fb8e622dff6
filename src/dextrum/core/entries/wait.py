"""The job waits."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import iso_time, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import english, tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Wait(EntryKind):
    """The job waits until a time, for a reason."""

    ends_wait = False
    why: str
    until: str = ""
    kind: Literal["wait"] = "wait"

    def __post_init__(self) -> None:
        short_text(self.why)
        iso_time(self.until)

    @property
    def words(self) -> str:
        """Why, in the language of this process where the program itself said it; kept is the English."""
        return tr(english(self.why))

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.wait, facts.waits_on = self, facts.last_drawn
