"""Lots as they are now: what the ledger says, less what jobs have taken since the last count."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from dextrum.core.ledger.draft import ShopDraft


@dataclass(frozen=True)
class PartUse:
    """A part that a job took. entry_id: of its rework. lot: of the shop's, or 'donor SERIAL', empty for none that was
    named. failed: it was found bad afterwards: replaced again, or measured and not as a good one."""

    entry_id: str
    job_id: str
    serial: str
    pack_id: str
    part: str
    lot: str
    at: datetime
    failed: bool


@dataclass(frozen=True)
class Lot:
    """name and part as in the ledger. left: pieces, never below nothing; short: how many more were used than were
    there, which asks for a count. used, failed: over its whole life."""

    name: str
    part: str
    of: str
    fits: tuple[str, ...]
    price: Decimal
    source: str
    day: str
    place: str
    left: int
    short: int
    used: int
    failed: int
    aside: bool
    why_aside: str

    def fits_at(self, pack_id: str, part: str) -> bool:
        return f"{pack_id}:{part}" in self.fits


def lots_now(shop: ShopDraft, uses: Iterable[PartUse]) -> Mapping[str, Lot]:
    """By name, in the order in which they came in. A use names its lot in any case: somebody typed it."""
    of_lot: dict[str, list[PartUse]] = {}
    for use in uses:
        of_lot.setdefault(use.lot.casefold(), []).append(use)
    found = {}
    for name, draft in shop.lots.items():
        own = of_lot.get(name.casefold(), [])
        about = draft.about
        since = sum(use.at >= draft.counted_at for use in own)
        left = draft.counted - since
        found[name] = Lot(name, about.part, about.of, about.fits, about.price, about.source, about.day, draft.place,
                          max(left, 0), max(-left, 0), len(own), sum(use.failed for use in own), draft.aside,
                          draft.why_aside)
    return found


def lot_to_take(lots: Mapping[str, Lot], pack_id: str, part: str) -> Lot | None:
    """The lot a rework takes its part from by itself: of those that fit, have some and are not set aside, the one that
    came in first; None where there is none."""
    return next((lot for lot in lots.values() if lot.left > 0 and not lot.aside and lot.fits_at(pack_id, part)), None)
