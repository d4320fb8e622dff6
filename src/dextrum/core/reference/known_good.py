"""What known-good boards read: one row a reading."""

from __future__ import annotations

import math
from dataclasses import dataclass

from dextrum.core.board import Method
from dextrum.core.board.bounds import STRICT, iso_date, require
from dextrum.tongue import tr

MOST_DIODE_VOLTS = 5.0
"""No meter drives more in diode mode."""
MOST_OHMS = 1e8
"""Beyond it meters say OL."""
MOST_NANOFARADS = 1e8
"""A tenth of a farad: more than any meter shows."""


def most_of(method: Method) -> float:
    """The highest number that a reading by a method can be, in its unit."""
    return MOST_DIODE_VOLTS if method.is_diode else MOST_NANOFARADS if method is Method.CAPACITANCE else MOST_OHMS


@dataclass(frozen=True)
class KnownGoodReading:
    """One reading of a board that was proved good. value: volts, ohms or nanofarads, inf for OL; taken_on: ISO date."""

    __pydantic_config__ = STRICT
    board_serial: str
    point: str
    method: Method
    meter: str
    value: float
    board_celsius: float | None = None
    taken_on: str = ""

    def __post_init__(self) -> None:
        most = most_of(self.method)
        if not 0.0 <= self.value <= most and self.value != math.inf:
            require(self.value, 0.0, most, tr("value in {unit}", unit=self.method.unit))
        if self.taken_on:
            iso_date(self.taken_on, "taken_on")
        if self.board_celsius is not None:
            require(self.board_celsius, -40.0, 125.0, "board_celsius")
