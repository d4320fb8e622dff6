"""Volts on a rail, with power at the port."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.supply import Orientation
from dextrum.core.safety.activities import Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class RailVolts(EntryKind):
    """Volts on a rail with power at the port, plug this way up. rail: of the pack's rail checks."""

    rail: str
    volts: float
    orientation: Orientation
    kind: Literal["rail_volts"] = "rail_volts"

    def __post_init__(self) -> None:
        if not self.rail:
            raise ValueError(tr("no rail is named; expected one of the rails that can be checked under power"))
        require(self.volts, 0.0, 60.0, "volts")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.rail_volts[self.rail] = self

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.POWER})

    def tells(self, telling: Telling) -> None:
        least = next((c.least_volts for c in telling.board.rail_checks if c.id == self.rail), 0.0)
        telling.say("rail", self.rail, f"{self.volts:.2f} V", self, value=self.volts, apart=True,
                    how=tr("rail {orientation}",
                           orientation=self.orientation), again=lambda one, other: (one >= least) == (other >= least))
