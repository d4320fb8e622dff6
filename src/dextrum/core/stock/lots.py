"""Lots as they are now: what the ledger says, less what jobs have taken since the last count."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

from dextrum.core.ledger.draft import ShopDraft

ROUNDING = 1e-9
"""Of amounts added up, so that a metre in twenty pieces leaves nothing."""
CELL = "cell"
"""The place of a unit's cell, beside the designators of its board."""
UNITS = {"wire": "m", "alloy": "g"}
"""What is used up besides parts, and what it is counted in."""


@dataclass(frozen=True)
class PartUse:
    """A part that a job took. entry_id: of its rework. lot: of the shop's, or 'donor SERIAL', empty for none that was
    named. failed: it was found bad afterwards: replaced again, or measured and not as a good one. amount: pieces, or
    grams or metres of what is used up; then part is empty, since it went to no place."""

    entry_id: str
    job_id: str
    serial: str
    pack_id: str
    part: str
    lot: str
    at: datetime
    failed: bool
    amount: float = 1.0


@dataclass(frozen=True)
class Lot:
    """name and part as in the ledger. left: whole pieces, grams or metres, never below nothing; exactly: the same with
    what is left of a metre or gram; short: how many more were used than were there, which asks for a count. used,
    failed: pieces, over its whole life."""

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
    exactly: float = 0.0

    @property
    def used_up(self) -> bool:
        """Whether it is taken by the metre or gram, and no piece of it can fail by itself."""
        return self.of in UNITS

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
        exactly = draft.counted - sum(use.amount for use in own if use.at >= draft.counted_at)
        left = math.floor(exactly + ROUNDING)
        found[name] = Lot(name, about.part, about.of, about.fits, about.price, about.source, about.day, draft.place,
                          max(left, 0), max(-left, 0), len(own), sum(use.failed for use in own), draft.aside,
                          draft.why_aside, max(0.0, exactly))
    return found


def lot_used_up(lots: Mapping[str, Lot], of: str, part: str) -> Lot | None:
    """The lot of wire or alloy that a repair goes on with: not set aside and not at its end, the one that came in
    first, of a name that holds the words asked for."""
    return next((lot for lot in lots.values() if lot.of == of and lot.exactly > 0.0 and not lot.aside
                 and part.casefold() in lot.part.casefold()), None)


def left_words(lot: Lot) -> str:
    """'9', or '4.65 m' of what is used up."""
    return f"{round(lot.exactly, 2):g} {UNITS[lot.of]}" if lot.used_up else str(lot.left)


def lot_to_take(lots: Mapping[str, Lot], pack_id: str, part: str, kit: bool = False) -> Lot | None:
    """The lot a rework takes its part from by itself: of those that fit, have some and are not set aside, the one that
    came in first; None where there is none. kit: a kit goes in the part's place, which is no part of the same kind."""
    return next((lot for lot in lots.values() if lot.left > 0 and not lot.aside and lot.fits_at(pack_id, part)
                 and (lot.of == "kit") is kit), None)
