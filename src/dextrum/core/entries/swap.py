"""A known-good thing in the place of what came with the unit."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft

SWAPS = ("supply", "cable", "dock", "fan", "controllers")


@dataclass(frozen=True)
class Swap(EntryKind):
    """A known-good one put in the place of what came with the unit. gone: whether the symptom went with it. The cell
    has an entry of its own, since draws depend on it."""

    what: Literal["supply", "cable", "dock", "fan", "controllers"]
    symptom: str
    gone: bool
    note: str = ""
    kind: Literal["swap"] = "swap"

    def __post_init__(self) -> None:
        if not self.symptom:
            raise ValueError(tr("no symptom is named; expected what went away or stayed"))
        short_text(self.symptom, self.note)

    @property
    def thing(self) -> str:
        """'a known-good dock'."""
        return tr("{which}known-good {what}", which="" if self.what == "controllers" else "a ", what=self.what)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.swaps[self.what, self.symptom] = self

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.POWER})

    def tells(self, telling: Telling) -> None:
        seen = tr("gone") if self.gone else tr("still there")
        telling.say("swap", self.symptom, tr("{seen} with {thing}", seen=seen,
                                             thing=self.thing), self, how=tr("swap {what}", what=self.what))
