"""One measured value with its budget."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Measure:
    """value in `unit`; floor: what it is compared with; ratio: value over floor; budget and ok: the verdict."""

    value: float
    unit: str
    floor: float | None
    ratio: float | None
    budget: float
    ok: bool


def within(value: float, unit: str, budget: float) -> Measure:
    """A value that must not exceed its budget."""
    return Measure(round(value, 3), unit, None, None, budget, value <= budget)


def at_least(value: float, unit: str, budget: float) -> Measure:
    """A share that must reach its budget."""
    return Measure(round(value, 4), unit, None, None, budget, value >= budget)


def p95(values: list[float]) -> float:
    return sorted(values)[max(0, int(len(values) * 0.95) - 1)]
