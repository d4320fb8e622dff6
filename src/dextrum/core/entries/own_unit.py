"""The unit is the shop's own: what it is worth."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.money.amounts import NOTHING, check_amount
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class OwnUnit(EntryKind):
    """The unit is the shop's own, to lend or to sell. cost: what it alone cost; nothing where it came in a lot, whose
    price is shared by its units. repaired: what one that works fetches, or saves; as_donor: what it is worth for its
    parts. lot: the lot of units it came in."""

    ends_wait = False
    by_hands = False
    repaired: Decimal
    as_donor: Decimal = NOTHING
    cost: Decimal = NOTHING
    lot: str = ""
    kind: Literal["own_unit"] = "own_unit"

    def __post_init__(self) -> None:
        check_amount(self.repaired, tr("the worth repaired"))
        check_amount(self.as_donor, tr("the worth as a donor"))
        check_amount(self.cost, tr("the cost"))
        short_text(self.lot)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.own_unit = self
