"""What a kind of entry is: its values, what it changes on the job, what it did to the unit, what it tells of faults.

A new kind is one file beside this one, its line in `core/trail`, and its card in `app/trail_words`.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar

from dextrum.core.board.bounds import STRICT
from dextrum.core.safety.activities import NONE, Activity

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft
    from dextrum.core.entries.moment import Moment


class EntryKind:
    """One kind of entry. Every payload checks its own values when it is made.

    version: of its fields; older ones are raised to it when read, since what was added has a default. ends_wait: being
    written down ends a wait. by_hands: hands were at the unit before it was written down. weighs: suspects and advice
    may be others for it; not so for what only pictures the unit or tells of its model.
    """

    __pydantic_config__ = STRICT
    version: ClassVar[int] = 1
    ends_wait: ClassVar[bool] = True
    by_hands: ClassVar[bool] = True
    weighs: ClassVar[bool] = True

    @property
    def drawn_way(self) -> str:
        """Which way up of the plug the draw was read; empty for what reads none."""
        return ""

    def moves(self, moment: Moment) -> Moment:
        """Where the trail stands after it."""
        return moment

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        """What it changes on the job; `facts.moment` is where the trail stands after it."""

    def does(self, board: Board) -> frozenset[Activity]:
        """What was done to the unit to have something to write down."""
        return NONE

    def tells(self, telling: Telling) -> None:
        """What it tells of faults."""

    @classmethod
    def as_written(cls, data: dict[str, Any]) -> dict[str, Any]:
        """Its plain values as they stand in a file."""
        return data

    @classmethod
    def as_read(cls, data: dict[str, Any]) -> dict[str, Any]:
        """Its plain values from those in a file."""
        return data
