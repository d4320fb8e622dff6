"""What blew a part, or that it was waived."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Cause(EntryKind):
    """What blew the part, or that nobody can tell and it was waived."""

    what: Literal["supply", "dock", "force", "liquid", "unknown"]
    advice: str = ""
    kind: Literal["cause"] = "cause"

    def __post_init__(self) -> None:
        short_text(self.advice)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.cause, facts.cause_epoch = self, facts.moment.epoch
