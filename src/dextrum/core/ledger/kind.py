"""A line of the shop's ledger. A new kind is one file beside this one and its place in `lines`."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

from dextrum.core.board.bounds import STRICT

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.ledger.draft import ShopDraft


class LedgerKind:
    """One kind of line. Every line checks its own values when it is made; `fold` says what it changes."""

    __pydantic_config__ = STRICT
    version: ClassVar[int] = 1

    def fold(self, shop: ShopDraft, line_id: str, at: datetime) -> None:
        """What it changes in the shop."""

    def words(self) -> str:
        """In the list of lines."""
        raise NotImplementedError

    @classmethod
    def as_read(cls, data: dict[str, Any]) -> dict[str, Any]:
        """Its plain values from those in a file."""
        return data
