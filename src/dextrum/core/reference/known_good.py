"""What known-good boards read: one row a reading."""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board import Method
from dextrum.core.board.bounds import STRICT, require


@dataclass(frozen=True)
class KnownGoodReading:
    """One reading of a board that was proved good. value: volts or ohms, inf for OL; taken_on: ISO date."""

    __pydantic_config__ = STRICT
    board_serial: str
    point: str
    method: Method
    meter: str
    value: float
    board_celsius: float | None = None
    taken_on: str = ""

    def __post_init__(self) -> None:
        if self.value != float("inf"):
            require(self.value, 0.0, 1e8, "value")
        if self.board_celsius is not None:
            require(self.board_celsius, -40.0, 125.0, "board_celsius")
