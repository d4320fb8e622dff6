"""A price that was said to the owner."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.money.amounts import NOTHING, check_amount
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

BASES: dict[str, str] = {"fixed": tr("fixed price"), "ceiling": tr("by the hour, up to a ceiling")}


@dataclass(frozen=True)
class Quote(EntryKind):
    """A price that was said to the owner. The latest one counts.

    price: as it was said. basis: fixed, or a ceiling up to which the owner pays what it took. not_repaired: what is
    charged when nothing can be repaired. rush: whether the owner pays for it, and it is in the price. loss: chance of
    loss at this price, good: of a good end, as they were forecast then. middle: what the job was forecast to
    cost the shop. finding: what was found by then, in words.
    """

    ends_wait = False
    by_hands = False
    price: Decimal
    basis: Literal["fixed", "ceiling"] = "fixed"
    not_repaired: Decimal = NOTHING
    rush: bool = False
    loss: float = 0.0
    good: float = 1.0
    middle: float = 0.0
    finding: str = ""
    kind: Literal["quote"] = "quote"

    def __post_init__(self) -> None:
        check_amount(self.price, tr("the price"))
        check_amount(self.not_repaired, tr("what is charged when nothing can be repaired"))
        require(self.loss, 0.0, 1.0, "loss")
        require(self.good, 0.0, 1.0, "good")
        require(self.middle, 0.0, 1e7, "middle")
        short_text(self.finding)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.quote, facts.quote_answer = self, None
