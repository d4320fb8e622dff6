"""A lot lies elsewhere."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.ledger.kind import LedgerKind
from dextrum.core.ledger.names import plain_name
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.ledger.draft import ShopDraft


@dataclass(frozen=True)
class LotMoved(LedgerKind):
    """A lot lies elsewhere. place: drawer and bag, as on its label."""

    lot: str
    place: str
    kind: Literal["lot_moved"] = "lot_moved"

    def __post_init__(self) -> None:
        plain_name(self.lot, tr("the lot"))
        plain_name(self.place, tr("the place"), 200)

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        shop.moved(self.lot, self.place)

    def words(self) -> str:
        return tr("{lot}: now in {place}", lot=self.lot, place=self.place)
