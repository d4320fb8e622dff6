"""Something done to a part."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.moment import put_back
from dextrum.core.safety.activities import NONE, Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.entries.draft import FactsDraft
    from dextrum.core.entries.moment import Moment

HOT_ACTIONS = ("replace", "reflow", "wire")
"""What is done to a part with heat."""
AUDIT_STEPS = ("counted", "bridges", "flux")
"""What is checked after heat: small parts counted against the list made before, no bridges, flux off."""
PADS = "pads"
"""What is checked besides where a part has come off: the pads under it, before the next one goes on."""


@dataclass(frozen=True)
class UsedUp:
    """Of wire or alloy. lot: its name; amount: metres or grams of it."""

    lot: str
    amount: float

    def __post_init__(self) -> None:
        short_text(self.lot)
        require(self.amount, 0.0, 1_000.0, tr("amount used up"))


@dataclass(frozen=True)
class Rework(EntryKind):
    """Something done to a part. audit: what was checked round it afterwards. lot: of the shop's stock, or 'donor' and
    its serial, that the part was taken from; empty where nobody said. used: wire and alloy, as the recipe takes it."""

    version = 2  # 2: lot, used

    action: Literal["replace", "reflow", "wire", "clean"]
    part: str
    source: str = ""
    audit: tuple[str, ...] = ()
    note: str = ""
    lot: str = ""
    used: tuple[UsedUp, ...] = ()
    kind: Literal["rework"] = "rework"

    def __post_init__(self) -> None:
        if not self.part:
            raise ValueError(tr("no part is named; expected a designator"))
        short_text(self.source, self.note, self.lot)

    def moves(self, moment: Moment) -> Moment:
        isolated = put_back(moment.isolated, self.part)
        return replace(moment, isolated=isolated, epoch=moment.epoch + (self.action != "clean"))

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        if self.action == "clean":
            facts.cleaned = True
        else:
            facts.proofs.clear()
            facts.passed_since.clear()
            facts.passes.clear()
            facts.rail_volts.clear()
            facts.injections.clear()
        if self.action in HOT_ACTIONS:
            facts.heated.append(at)
            facts.unaudited[self.part] = tuple(step for step in AUDIT_STEPS if step not in self.audit)
            if not facts.unaudited[self.part]:
                del facts.unaudited[self.part]
        facts.reworks.append((facts.moment.epoch, self))

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.HEAT}) if self.action in HOT_ACTIONS else NONE
