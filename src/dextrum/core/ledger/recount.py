"""A lot was counted by hand."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.ledger.kind import LedgerKind
from dextrum.core.ledger.lot_in import MOST_PIECES
from dextrum.core.ledger.names import plain_name
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.ledger.draft import ShopDraft


@dataclass(frozen=True)
class Recount(LedgerKind):
    """A lot was counted: so many are there, whatever the ledger said. reason: why they differ."""

    lot: str
    count: int
    reason: str
    kind: Literal["recount"] = "recount"

    def __post_init__(self) -> None:
        plain_name(self.lot, tr("the lot"))
        plain_name(self.reason, tr("the reason"), 200)
        if not 0 <= self.count <= MOST_PIECES:
            raise ValueError(tr("the count is {count}; expected 0 to {most_pieces}", count=self.count,
                                most_pieces=MOST_PIECES))

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        shop.counted(self.lot, self.count, at)

    def words(self) -> str:
        return tr("{lot}: counted {count}, {reason}", lot=self.lot, count=self.count, reason=self.reason)
