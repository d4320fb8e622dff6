"""A part measured by itself, before it goes on or after it came off a donor."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from dextrum.core.board.bounds import STRICT, require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.readings import MOST_OHMS, open_as_word, open_from_word
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

MOST_READ = 40


@dataclass(frozen=True)
class ReadAlone:
    """between: what the probes touched. value: volts or ohms, inf for OL; expected: of a good part."""

    __pydantic_config__ = STRICT
    between: str
    value: float
    expected: float
    good: bool

    def __post_init__(self) -> None:
        short_text(self.between)
        for number in (self.value, self.expected):
            if number != float("inf"):
                require(number, 0.0, MOST_OHMS, "value")


@dataclass(frozen=True)
class PartAlone(EntryKind):
    """A part that is to take the place of `part`, measured by itself. source: stock, lot, or donor and serial. good:
    whether all that was read is as of a good part."""

    part: str
    source: str = ""
    readings: tuple[ReadAlone, ...] = ()
    kind: Literal["part_alone"] = "part_alone"

    def __post_init__(self) -> None:
        if not self.part:
            raise ValueError(tr("no part is named; expected a designator"))
        if not self.readings:
            raise ValueError(tr("nothing was read; expected at least one reading"))
        if len(self.readings) > MOST_READ:
            raise ValueError(tr("{count} readings; expected at most {most_read}", count=len(self.readings),
                                most_read=MOST_READ))
        short_text(self.part, self.source)

    @property
    def good(self) -> bool:
        return all(reading.good for reading in self.readings)

    @classmethod
    def as_written(cls, data: dict[str, Any]) -> dict[str, Any]:
        """'OL' stands for open, as in readings of a board."""
        return open_as_word(data, "value", "expected")

    @classmethod
    def as_read(cls, data: dict[str, Any]) -> dict[str, Any]:
        return open_from_word(data, "value", "expected")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.measured_alone[self.part] = self
