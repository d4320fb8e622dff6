"""Continuity between two points of a board whose nets nobody knows yet."""

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
    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class Touched(EntryKind):
    """Two points touched with the meter in continuity. It tells of the model, not of the fault.

    one: a point, such as C14.2. other: the other point. joined: whether it beeped.
    """

    one: str
    other: str
    joined: bool
    kind: Literal["touched"] = "touched"
    weighs = False

    def __post_init__(self) -> None:
        if not self.one or not self.other or self.one == self.other:
            raise ValueError(tr("{one!r} and {other!r} are no pair; expected two points", one=self.one[:20],
                                other=self.other[:20]))
        short_text(self.one, self.other)

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.READINGS})

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.touched.append(self)
