"""A part of a donor is promised to another job, or free again."""

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
class PartPromised(EntryKind):
    """A part of this donor is promised to another job. to: its serial; empty frees the part again. job: its id."""

    ends_wait = False
    by_hands = False
    part: str
    to: str = ""
    job: str = ""
    kind: Literal["part_promised"] = "part_promised"

    def __post_init__(self) -> None:
        if not self.part:
            raise ValueError(tr("no part is named; expected a designator"))
        short_text(self.part, self.to, self.job)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        if self.to:
            facts.promised[self.part] = self
        else:
            facts.promised.pop(self.part, None)
