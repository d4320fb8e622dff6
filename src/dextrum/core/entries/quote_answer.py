"""What the owner said to a price."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class QuoteAnswer(EntryKind):
    """What the owner said to the price that was said last. answer: whether it is accepted or declined."""

    by_hands = False
    answer: Literal["accepted", "declined"]
    note: str = ""
    kind: Literal["quote_answer"] = "quote_answer"

    def __post_init__(self) -> None:
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        if facts.quote is not None:
            facts.quote_answer = self
