"""How the job ended."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Outcome(EntryKind):
    """How the job ended."""

    result: Literal["repaired", "no_fault", "returned", "donor"]
    note: str = ""
    kind: Literal["outcome"] = "outcome"

    def __post_init__(self) -> None:
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.outcome, facts.closed_at = self, at
