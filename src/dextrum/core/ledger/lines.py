"""All kinds of lines together, and the shop as they leave it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import get_args

from dextrum.core.ledger.draft import ShopDraft
from dextrum.core.ledger.kind import LedgerKind
from dextrum.core.ledger.line_struck import LineStruck
from dextrum.core.ledger.lot_in import LotIn
from dextrum.core.ledger.lot_moved import LotMoved
from dextrum.core.ledger.ordered import Ordered
from dextrum.core.ledger.recount import Recount
from dextrum.core.ledger.set_aside import SetAside
from dextrum.core.ledger.units_bought import UnitsBought

LinePayload = LotIn | Recount | LotMoved | SetAside | Ordered | UnitsBought | LineStruck
LINE_KINDS: dict[str, type[LedgerKind]] = {kind.kind: kind for kind in get_args(LinePayload)}
"""By the word that stands in files."""


@dataclass(frozen=True)
class Line:
    """A payload with who and when; at is UTC."""

    id: str
    at: datetime
    who: str
    payload: LinePayload


def standing_lines(lines: Iterable[Line]) -> tuple[Line, ...]:
    """Lines that count, in order; a struck strike counts no more itself."""
    every = tuple(lines)
    struck: set[str] = set()
    for line in reversed(every):
        if isinstance(line.payload, LineStruck) and line.id not in struck:
            struck.add(line.payload.line)
    return tuple(line for line in every if line.id not in struck and not isinstance(line.payload, LineStruck))


def shop_of(lines: Iterable[Line]) -> ShopDraft:
    """The shop as the standing lines leave it; parts that jobs took are not in it, see `core.stock.lots`."""
    shop = ShopDraft()
    for line in standing_lines(lines):
        line.payload.fold(shop, line.id, line.at)
    return shop
