"""Readings of points, by one method and one meter."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.core.board.kinds import Method
from dextrum.core.board.value_words import value_words
from dextrum.core.entries.draft import StandingReading
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft

MOST_VOLTS_DIODE = 5.0
MOST_OHMS = 2e8
MOST_NANOFARADS = 1e8


def most_of(method: Method) -> float:
    """The highest number that a meter shows by a method, in its unit."""
    return MOST_VOLTS_DIODE if method.is_diode else MOST_NANOFARADS if method is Method.CAPACITANCE else MOST_OHMS


def agree(one: float, other: float) -> bool:
    """Whether two touches of a point read the same, for all a hand can tell."""
    if math.isinf(one) or math.isinf(other):
        return one == other
    return abs(one - other) <= 0.02 + 0.03 * abs(one)


@dataclass(frozen=True)
class PointReading:
    """One point's value in volts or ohms; inf for OL."""

    __pydantic_config__ = STRICT
    point: str
    value: float
    wavering: bool = False


@dataclass(frozen=True)
class Readings(EntryKind):
    """Readings of one method and one meter; one when typed, all contacts at once from a tester.

    test_milliamps: of the meter, where it is known. turned: the tester or breakout sat in the port the other way up;
    points are the port's own contacts all the same.
    """

    version = 2  # 2: test_milliamps, turned
    method: Method
    readings: tuple[PointReading, ...]
    meter: str = ""
    board_celsius: float | None = None
    test_milliamps: float | None = None
    turned: bool = False
    kind: Literal["readings"] = "readings"

    def __post_init__(self) -> None:
        if not self.readings:
            raise ValueError(tr("no reading; expected at least one"))
        limit = most_of(self.method)
        for reading in self.readings:
            if reading.value != float("inf"):
                require(reading.value, 0.0, limit, tr("{point} in {unit}", point=reading.point, unit=self.method.unit))
        if self.board_celsius is not None:
            require(self.board_celsius, -40.0, 125.0, "board_celsius")
        if self.test_milliamps is not None:
            require(self.test_milliamps, 0.001, 100.0, "test_milliamps")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        moment = facts.moment
        facts.failing = ""
        for reading in self.readings:
            key = moment.epoch, reading.point, self.method.value
            found = StandingReading(entry_id, at, moment.epoch, reading.value, reading.wavering, self.meter,
                                    self.board_celsius, self.turned, moment.isolated)
            if moment.isolated:
                facts.apart[*key, moment.isolated] = found
            else:
                facts.readings[key] = facts.either_way_up[*key, self.turned] = found

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.READINGS})

    def tells(self, telling: Telling) -> None:
        for reading in self.readings:
            if not reading.wavering and not telling.leaves_out(reading.point):
                value = telling.as_compared(reading.value, self.meter, self.method, self.board_celsius)
                telling.say("reading", reading.point, value_words(reading.value, self.method), self, value=value,
                            method=self.method, apart=True, how=tr("reading {method}",
                                                                   method=self.method.value), again=agree)

    @classmethod
    def as_written(cls, data: dict[str, Any]) -> dict[str, Any]:
        """'OL' stands for an open reading, which JSON has no number for."""
        return open_as_word(data, "value")

    @classmethod
    def as_read(cls, data: dict[str, Any]) -> dict[str, Any]:
        return open_from_word(data, "value")


def open_as_word(data: dict[str, Any], *names: str) -> dict[str, Any]:
    """The readings of a written payload with 'OL' for open ones, in the fields named."""
    return {**data, "readings": [{**r, **{name: "OL" for name in names if r[name] in (None, float("inf"))}}
                                 for r in data["readings"]]}


def open_from_word(data: dict[str, Any], *names: str) -> dict[str, Any]:
    """The other way round; what is no list of readings is left as it is, to be refused."""
    if not isinstance(data.get("readings"), list):
        return data
    return {**data, "readings": [{**r, **{name: float("inf") for name in names if r.get(name) == "OL"}}
                                 if isinstance(r, dict) else r for r in data["readings"]]}
