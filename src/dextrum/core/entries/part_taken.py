"""A part was taken off a donor."""

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
class PartTaken(EntryKind):
    """A part was taken off this donor. to: serial of the job it went to, empty for the drawer; job: its id. state: as
    it was measured by itself: good, bad, or unmeasured."""

    ends_wait = False
    part: str
    to: str = ""
    job: str = ""
    state: Literal["good", "bad", "unmeasured"] = "unmeasured"
    kind: Literal["part_taken"] = "part_taken"

    def __post_init__(self) -> None:
        if not self.part:
            raise ValueError(tr("no part is named; expected a designator"))
        short_text(self.part, self.to, self.job)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.taken[self.part] = self
        facts.promised.pop(self.part, None)
