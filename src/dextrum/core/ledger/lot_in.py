"""A lot of parts that came in."""

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

MOST_PIECES = 100_000
LOT_KIND_WORDS = {"port": tr("port"), "chip": tr("chip"), "filter": tr("filter"), "fuse": tr("fuse"),
            "capacitor": tr("capacitor"), "cell": tr("cell"), "kit": tr("kit"), "wire": tr("wire"),
            "alloy": tr("alloy"), "other": tr("other")}
"""Which kind of thing a lot is, with its word."""


@dataclass(frozen=True)
class LotIn(LedgerKind):
    """A lot of parts came in.

    lot: its name, as on the bag. part: what it is, in the shop's words; lots of one part stand in for each other. of:
    which kind. fits: 'pack id:designator' for each place it fits; empty for what is used up and fits no place. count:
    pieces, grams or metres. price: of one. source: where from. day: on which. place: where it lies.
    """

    lot: str
    part: str
    of: Literal["port", "chip", "filter", "fuse", "capacitor", "cell", "kit", "wire", "alloy", "other"]
    count: int
    price: Decimal
    fits: tuple[str, ...] = ()
    source: str = ""
    day: str = ""
    place: str = ""
    kind: Literal["lot_in"] = "lot_in"

    def __post_init__(self) -> None:
        plain_name(self.lot, tr("the lot"))
        plain_name(self.part, tr("the part"), 80)
        plain_words(self.source, tr("the source"))
        plain_words(self.place, tr("the place"))
        check_amount(self.price, tr("the price"))
        if not 1 <= self.count <= MOST_PIECES:
            raise ValueError(tr("the count is {count}; expected 1 to {most_pieces}", count=self.count,
                                most_pieces=MOST_PIECES))
        if self.day:
            iso_date(self.day, tr("the day"))
        for place in self.fits:
            if place.count(":") != 1 or not all(side.strip() for side in place.split(":")):
                raise ValueError(tr("{place!r} is no place on a board; expected 'pack:designator'", place=place[:60]))

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        shop.came_in(self, line_id, at)

    def words(self) -> str:
        return tr("{lot}: {count} × {part} came in", lot=self.lot, count=self.count, part=self.part)
