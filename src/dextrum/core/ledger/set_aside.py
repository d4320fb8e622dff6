"""A lot is set aside, or taken back into use."""

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
class SetAside(LedgerKind):
    """A lot is set aside, or taken back into use. aside: False takes it back. reason: the evidence, or why after
    all."""

    lot: str
    aside: bool
    reason: str
    kind: Literal["set_aside"] = "set_aside"

    def __post_init__(self) -> None:
        plain_name(self.lot, tr("the lot"))
        plain_name(self.reason, tr("the reason"), 200)

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        shop.put_aside(self.lot, self.aside, self.reason)

    def words(self) -> str:
        return tr("{lot}: set aside, {reason}", lot=self.lot, reason=self.reason) if self.aside else \
            tr("{lot}: back in use, {reason}", lot=self.lot, reason=self.reason)
