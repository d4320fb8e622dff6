"""Parts were ordered."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import iso_date
from dextrum.core.ledger.kind import LedgerKind
from dextrum.core.ledger.lot_in import MOST_PIECES
from dextrum.core.ledger.names import plain_name
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.ledger.draft import ShopDraft


@dataclass(frozen=True)
class Ordered(LedgerKind):
    """Parts were ordered. part: as lots of it are called. due: the day they should be here. The next lot of that part
    that comes in takes them off."""

    part: str
    count: int
    due: str
    kind: Literal["ordered"] = "ordered"

    def __post_init__(self) -> None:
        plain_name(self.part, tr("the part"), 80)
        iso_date(self.due, tr("the day"))
        if not 1 <= self.count <= MOST_PIECES:
            raise ValueError(tr("the count is {count}; expected 1 to {most_pieces}", count=self.count,
                                most_pieces=MOST_PIECES))

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        shop.ordered(self.part, self.count, self.due)

    def words(self) -> str:
        return tr("{part}: {count} ordered, due {due}", part=self.part, count=self.count, due=self.due)
