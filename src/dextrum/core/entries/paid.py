"""Money that came in for a unit."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.money.amounts import check_amount
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class Paid(EntryKind):
    """Money that came in for a unit. amount: of it. what: the owner's payment for the job, or the unit was sold."""

    ends_wait = False
    by_hands = False
    amount: Decimal
    what: Literal["job", "sold"] = "job"
    note: str = ""
    kind: Literal["paid"] = "paid"

    def __post_init__(self) -> None:
        check_amount(self.amount, tr("the amount"))
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.paid.append(self)
