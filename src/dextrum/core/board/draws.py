"""What a power meter may show of a model, what it follows from, and the cell that is charged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from dextrum.core.board.bounds import STRICT, require
from dextrum.tongue import tr

SUPPLY_CLASSES = ("negotiating", "default_5v", "dock", "bench")
"""One that agrees a higher voltage, one that stays at its 5 V, the dock's own, a bench supply in place of the cell."""
CELL_CONDITIONS = ("deeply_flat", "flat", "part_charged", "near_full", "full")
DRAW_PATTERNS = ("steady", "blinking", "falling")


def _supply_class(name: str) -> None:
    if name not in SUPPLY_CLASSES:
        raise ValueError(tr("supply_class is {name!r}; expected one of {supply_classes}", name=name,
                            supply_classes=", ".join(SUPPLY_CLASSES)))


@dataclass(frozen=True)
class DrawState:
    """A state of the supply current that this model can be in, with what a power meter then shows.

    For a blinking state volts and amps are those while it is on. dwell_minutes: the middle of how long a healthy unit
    stays, 0 for as long as it is plugged in; dwell_spread: of its logarithm. cell: the condition of the cell in which
    a healthy unit begins here, empty where it never does. amps_when_on: drawn on top while the unit is switched on.
    """

    __pydantic_config__ = STRICT
    id: str
    words: str
    meaning: str
    volts: float
    volts_spread: float
    amps: float
    amps_spread: float
    pattern: str = "steady"
    dwell_minutes: float = 0.0
    dwell_spread: float = 0.5
    followed_by: tuple[str, ...] = ()
    supply_class: str = "negotiating"
    cell: str = ""
    amps_when_on: float = 0.0
    period_seconds: float | None = None

    def __post_init__(self) -> None:
        require(self.volts, 0.0, 60.0, "volts")
        require(self.volts_spread, 1e-3, 60.0, "volts_spread")
        require(self.amps, 0.0, 20.0, "amps")
        require(self.amps_spread, 1e-4, 20.0, "amps_spread")
        require(self.dwell_minutes, 0.0, 10_000.0, "dwell_minutes")
        require(self.dwell_spread, 0.01, 5.0, "dwell_spread")
        require(self.amps_when_on, 0.0, 20.0, "amps_when_on")
        if self.period_seconds is not None:
            require(self.period_seconds, 1e-3, 3600.0, "period_seconds")
        if self.pattern not in DRAW_PATTERNS:
            raise ValueError(tr("pattern is {pattern!r}; expected one of {draw_patterns}", pattern=self.pattern,
                                draw_patterns=", ".join(DRAW_PATTERNS)))
        if self.cell and self.cell not in CELL_CONDITIONS:
            raise ValueError(tr("cell is {cell!r}; expected one of {cell_conditions}", cell=self.cell,
                                cell_conditions=", ".join(CELL_CONDITIONS)))
        _supply_class(self.supply_class)


def state_called(states: Sequence[DrawState], name: str) -> str:
    """What the pack says of the state of this id; the id itself where it knows none."""
    return next((state.words for state in states if state.id == name), name.replace("_", " "))


@dataclass(frozen=True)
class DrawOutcome:
    """What the meter shows when `broken` is broken and nothing listed before it is.

    '{o}' in `broken` stands for the orientation, a or b. An empty `broken` is the healthy row, and the last of its
    supply class.
    """

    __pydantic_config__ = STRICT
    broken: str
    states: Mapping[str, float]
    supply_class: str = "negotiating"

    def __post_init__(self) -> None:
        total = sum(self.states.values())
        if not (abs(total - 1.0) < 1e-6):
            raise ValueError(tr("the chances of states add up to {total:g}; expected 1", total=total))
        _supply_class(self.supply_class)


@dataclass(frozen=True)
class CellModel:
    """The unit's own cell: constant current, then constant voltage, after a pre-charge while it is flat.

    Shares are of the capacity. efficiency: of the way from supply to cell; system_watts: what the unit itself takes.
    spread: relative, of capacity and of the charging path, between units.
    """

    __pydantic_config__ = STRICT
    capacity_mah: float
    series_ohms: float = 0.1
    precharge_share: float = 0.04
    boot_share: float = 0.05
    empty_volts: float = 2.8
    full_volts: float = 4.2
    end_amps: float = 0.1
    efficiency: float = 0.87
    system_watts: float = 0.3
    spread: float = 0.1

    def __post_init__(self) -> None:
        require(self.capacity_mah, 10.0, 100_000.0, "capacity_mah")
        require(self.series_ohms, 0.0, 5.0, "series_ohms")
        require(self.precharge_share, 0.0, 0.5, "precharge_share")
        require(self.boot_share, 0.0, 0.9, "boot_share")
        require(self.empty_volts, 1.5, 3.6, "empty_volts")
        require(self.full_volts, 3.6, 4.6, "full_volts")
        require(self.end_amps, 0.001, 10.0, "end_amps")
        require(self.efficiency, 0.3, 1.0, "efficiency")
        require(self.system_watts, 0.0, 50.0, "system_watts")
        require(self.spread, 0.01, 0.5, "spread")
