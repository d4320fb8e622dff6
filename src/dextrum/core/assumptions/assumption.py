"""An assumption: a number nobody has counted here, with what it means, why it is so large, and how large it may be."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, TypeVar

Value = TypeVar("Value", bound=float | tuple[float, ...] | Mapping[Any, float])


@dataclass(frozen=True)
class Assumption:
    """low, high: the range of every number in it."""

    name: str
    value: float | tuple[float, ...] | Mapping[Any, float]
    unit: str
    low: float
    high: float
    meaning: str
    reason: str

    @property
    def numbers(self) -> tuple[float, ...]:
        if isinstance(self.value, Mapping):
            return tuple(self.value.values())
        return self.value if isinstance(self.value, tuple) else (self.value,)


ASSUMPTIONS: dict[str, Assumption] = {}
"""By name, in the order in which they are read."""


def assumed(name: str, value: Value, unit: str, low: float, high: float, meaning: str, reason: str) -> Value:
    """Takes down an assumption and hands its value on.

    Raises ValueError for a name that is taken, or a number out of its own range.
    """
    found = Assumption(name, value, unit, low, high, meaning, reason)
    if name in ASSUMPTIONS:
        raise ValueError(f"{name} is assumed twice")
    if not all(low <= number <= high for number in found.numbers):
        raise ValueError(f"{name} is {value}; its range is {low:g} to {high:g}")
    ASSUMPTIONS[name] = found
    return value
