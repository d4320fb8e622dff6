"""The shop while its ledger is folded."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from dextrum.core.ledger.names import LONGEST_NAME

if TYPE_CHECKING:
    from dextrum.core.ledger.lot_in import LotIn
    from dextrum.core.ledger.units_bought import UnitsBought


@dataclass
class LotDraft:
    """A lot as the ledger alone has it. counted, counted_at: the last count, from which parts used since go off."""

    line_id: str
    about: LotIn
    counted: int
    counted_at: datetime
    place: str
    aside: bool = False
    why_aside: str = ""


@dataclass
class ShopDraft:
    """lots by name; bought: lots of units by name; on_order: by part, (count, day) in the order of ordering. unknown:
    names of lots that a line speaks of, and that never came in."""

    lots: dict[str, LotDraft] = field(default_factory=dict)
    bought: dict[str, UnitsBought] = field(default_factory=dict)
    on_order: dict[str, list[tuple[int, str]]] = field(default_factory=dict)
    unknown: set[str] = field(default_factory=set)

    def came_in(self, lot: LotIn, line_id: str, at: datetime) -> None:
        """A second lot of one name adds to the first: somebody refilled the bag. Where it is another part, both are
        kept, the second by its part's name as well."""
        name = lot.lot
        if name in self.lots and self.lots[name].about.part != lot.part:
            name = f"{lot.lot} ({lot.part})"[:LONGEST_NAME].strip()
        before = self.lots.get(name)
        if before is not None:
            before.counted += lot.count
            before.place = lot.place or before.place
        else:
            self.lots[name] = LotDraft(line_id, lot, lot.count, at, lot.place)
        left = lot.count
        waiting = self.on_order.get(lot.part, [])
        while waiting and left > 0:
            count, due = waiting.pop(0)
            if count > left:
                waiting.insert(0, (count - left, due))
            left -= count

    def counted(self, lot: str, count: int, at: datetime) -> None:
        """From here on only what is used later goes off."""
        found = self._lot(lot)
        if found is not None:
            found.counted, found.counted_at = count, at

    def moved(self, lot: str, place: str) -> None:
        found = self._lot(lot)
        if found is not None:
            found.place = place

    def put_aside(self, lot: str, aside: bool, why: str) -> None:
        found = self._lot(lot)
        if found is not None:
            found.aside, found.why_aside = aside, why if aside else ""

    def ordered(self, part: str, count: int, due: str) -> None:
        self.on_order.setdefault(part, []).append((count, due))

    def _lot(self, name: str) -> LotDraft | None:
        if name not in self.lots:
            self.unknown.add(name)
        return self.lots.get(name)
