"""What the power meter showed, as it was typed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import STRICT, iso_time, one_of, require, short_text
from dextrum.core.board.draws import SUPPLY_CLASSES
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.entries.draft import FactsDraft
    from dextrum.core.entries.draw_trace import DrawTrace

Orientation = Literal["a", "b"]
SwitchedOn = Literal["", "on", "off"]
PlugPosition = Literal["resting", "pushed", "hanging"]


@dataclass(frozen=True)
class Gear:
    """A supply, cable or dock that was used. proved_on: the day it last proved good, empty when it never did."""

    __pydantic_config__ = STRICT
    kind: Literal["supply", "cable", "dock"]
    name: str
    proved_on: str = ""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise ValueError(tr("the {kind} has no name; expected what its label says", kind=self.kind))
        short_text(self.name)
        iso_time(self.proved_on)


@dataclass(frozen=True)
class Supply(EntryKind):
    """What the power meter showed. orientation: plug's A or B side up; minute: since plugging in.

    named: the id of a state of the profile, when the technician called it by its name instead of typing numbers.
    supply_class: empty for the board's usual one. supply_proved: false when a part of the gear never proved good.
    """

    version = 2  # 2: switched, position, supply_class, gear, named
    orientation: Orientation
    volts: float
    amps: float
    minute: float = 0.0
    pattern: Literal["steady", "blinking"] = "steady"
    supply_proved: bool = True
    switched: SwitchedOn = ""
    position: PlugPosition = "resting"
    supply_class: str = ""
    gear: tuple[Gear, ...] = ()
    named: str = ""
    kind: Literal["supply"] = "supply"

    def __post_init__(self) -> None:
        require(self.volts, 0.0, 50.0, "volts")
        require(self.amps, 0.0, 10.0, "amps")
        require(self.minute, 0.0, 100_000.0, "minute")
        known_class(self.supply_class)

    @property
    def drawn_way(self) -> str:
        return self.orientation

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        record_draw(facts, self)

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.POWER})


def known_class(name: str) -> None:
    """Raise ValueError for a class of supplies that nobody knows; empty stands for the board's usual one."""
    if name:
        one_of(name, SUPPLY_CLASSES, "supply_class")


def record_draw(facts: FactsDraft, draw: Supply | DrawTrace) -> None:
    """A draw that was read, one way up, since the last repair."""
    epoch = facts.moment.epoch
    facts.supplies[epoch, draw.orientation] = draw
    if draw.supply_class != "bench":
        facts.plugged_in.add((epoch, draw.orientation))
