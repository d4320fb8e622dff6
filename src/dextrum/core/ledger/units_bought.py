"""A lot of units that the shop bought to repair and lend or sell."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import iso_date
from dextrum.core.ledger.kind import LedgerKind
from dextrum.core.ledger.names import plain_name, plain_words
from dextrum.core.money.amounts import check_amount
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.ledger.draft import ShopDraft

MOST_UNITS = 10_000


@dataclass(frozen=True)
class UnitsBought(LedgerKind):
    """A lot of units was bought. name: of the lot, by which its units' jobs name it. price: of all of them. freight:
    what it cost to get them here. source: who sold them. day: on which."""

    name: str
    count: int
    price: Decimal
    freight: Decimal = Decimal(0)
    source: str = ""
    day: str = ""
    kind: Literal["units_bought"] = "units_bought"

    def __post_init__(self) -> None:
        plain_name(self.name, tr("the lot"))
        plain_words(self.source, tr("the source"))
        check_amount(self.price, tr("the price"))
        check_amount(self.freight, tr("the freight"))
        if not 1 <= self.count <= MOST_UNITS:
            raise ValueError(tr("the count is {count}; expected 1 to {most_units}", count=self.count,
                                most_units=MOST_UNITS))
        if self.day:
            iso_date(self.day, tr("the day"))

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        shop.bought[self.name] = self

    def words(self) -> str:
        return tr("{self}: {count} units bought", self=self.name, count=self.count)
