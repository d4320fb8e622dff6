"""Loads taken off the board, or put back."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.moment import put_back
from dextrum.core.safety.activities import Activity, unplugs
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board import Board
    from dextrum.core.entries.moment import Moment



@dataclass(frozen=True)
class Isolation(EntryKind):
    """Loads taken off the board to measure without them, or put back: a connector unplugged, a part or a pin lifted.

    parts: 'PART', or 'PART.TERMINAL' for one pin.
    """

    parts: tuple[str, ...]
    state: Literal["off", "back"] = "off"
    note: str = ""
    kind: Literal["isolation"] = "isolation"

    def __post_init__(self) -> None:
        if not self.parts or not all(part.strip() for part in self.parts):
            raise ValueError(tr("no part is named; expected a designator"))
        short_text(self.note, *self.parts)

    def moves(self, moment: Moment) -> Moment:
        return replace(moment, isolated=with_isolation(moment.isolated, self))

    def does(self, board: Board) -> frozenset[Activity]:
        if self.state == "back" or all(unplugs(board, part) for part in self.parts):
            return frozenset({Activity.READINGS})
        return frozenset({Activity.HEAT})


def with_isolation(isolated: frozenset[str], change: Isolation) -> frozenset[str]:
    """What is off after an isolation entry. A whole part put back brings its pins along."""
    if change.state == "off":
        return isolated | frozenset(change.parts)
    for part in change.parts:
        isolated = put_back(isolated, part) if "." not in part else isolated - {part}
    return isolated
