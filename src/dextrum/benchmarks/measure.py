"""One measured value with its budget."""

from __future__ import annotations

import gc
import os
from dataclasses import dataclass
from pathlib import Path


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


def resident_megabytes() -> float:
    """What this process holds in memory now, garbage collected first. Not the peak: what ran before would hide all."""
    gc.collect()
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * os.sysconf("SC_PAGE_SIZE") / 2 ** 20


def p95(values: list[float]) -> float:
    return sorted(values)[max(0, int(len(values) * 0.95) - 1)]
