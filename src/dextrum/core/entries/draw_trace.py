"""Volts and amps over time, from a file or a live meter."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.supply import Gear, Orientation, PlugPosition, SwitchedOn, known_class, record_draw
from dextrum.core.safety.activities import Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.entries.draft import FactsDraft

MOST_PACKED_CHARACTERS = 40_000_000


@dataclass(frozen=True)
class DrawTrace(EntryKind):
    """Volts and amps over time, from a file or a live meter. samples: packed, see core.draw.samples; count: how many.

    refused: rows of the source that could not be read; missing: samples that the source left out.
    """

    orientation: Orientation
    samples: str
    count: int
    seconds: float
    source: str = ""
    refused: int = 0
    missing: int = 0
    supply_proved: bool = True
    switched: SwitchedOn = ""
    position: PlugPosition = "resting"
    supply_class: str = ""
    gear: tuple[Gear, ...] = ()
    kind: Literal["draw_trace"] = "draw_trace"

    def __post_init__(self) -> None:
        if self.count < 1:
            raise ValueError(tr("the trace has no sample; expected at least one"))
        require(self.seconds, 0.0, 1e8, "seconds")
        if len(self.samples) > MOST_PACKED_CHARACTERS:
            raise ValueError(tr("samples of {count} characters; expected at most {most_packed_characters}",
                                count=len(self.samples), most_packed_characters=MOST_PACKED_CHARACTERS))
        known_class(self.supply_class)
        short_text(self.source)

    @property
    def drawn_way(self) -> str:
        return self.orientation

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        record_draw(facts, self)

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.POWER})
