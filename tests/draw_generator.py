"""Traces of a power meter made by stepping a unit and its cell through time: independent of the program's own model.

It knows the pack's numbers, moves each of them by up to a tenth, charges a cell of its own curve second by second, and
reads it through a meter with noise, drift, rounding and lost samples.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Board, CellModel, DrawState


@dataclass(frozen=True)
class MadeTrace:
    """truth: state id of every sample. boots_at: seconds at which the unit can start, nan where it never does."""

    seconds: np.ndarray
    volts: np.ndarray
    amps: np.ndarray
    truth: np.ndarray
    period: float = float("nan")
    boots_at: float = float("nan")


@dataclass(frozen=True)
class Meter:
    """noise in volts and amps; digit: the last one shown; lost: share of samples that never arrive."""

    rate: float = 10.0
    noise_volts: float = 0.006
    noise_amps: float = 0.003
    digit: float = 0.001
    drift: float = 0.01
    lost: float = 0.01


def off(generator: np.random.Generator, value: float, by: float = 0.1) -> float:
    """The value moved by up to a tenth."""
    return value * (1.0 + generator.uniform(-by, by))


def read_through(generator: np.random.Generator, meter: Meter, seconds: np.ndarray, volts: np.ndarray,
                 amps: np.ndarray, truth: np.ndarray, **known: float) -> MadeTrace:
    """What the meter shows of true volts and amps at its sample times."""
    slow = np.sin(2 * np.pi * (seconds / (generator.uniform(0.7, 3.0) * seconds[-1] + 1.0) + generator.random()))
    volts = volts * (1 + 0.3 * meter.drift * slow) + generator.normal(0, meter.noise_volts, len(seconds))
    amps = amps * (1 + meter.drift * slow) + generator.normal(0, meter.noise_amps, len(seconds))
    shown = [np.round(np.maximum(x, 0.0) / meter.digit) * meter.digit for x in (volts, amps)]
    kept = generator.random(len(seconds)) >= meter.lost
    kept[0] = True
    return MadeTrace(seconds[kept], shown[0][kept], shown[1][kept], truth[kept], **known)


def rest_volts(cell: CellModel, share: float) -> float:
    """A smooth curve of its own, not the program's table."""
    s = min(max(share, 0.0), 1.0)
    height = 0.62 * s ** 0.16 + 0.05 * s + 0.33 * s ** 3
    return float(cell.empty_volts + (cell.full_volts - cell.empty_volts) * height)


class Unit:
    """A healthy unit of a board on one supply, its numbers drawn once."""

    def __init__(self, board: Board, generator: np.random.Generator, supply_class: str = "negotiating") -> None:
        assert board.cell is not None
        self.generator = generator
        self.states = {s.id: s for s in board.draw_states if s.supply_class == supply_class}
        self.by_cell = {s.cell: s for s in self.states.values() if s.cell}
        contract, low = off(generator, 1.0), off(generator, 1.0, 0.04)
        self.volts = {k: s.volts * (contract if s.volts > 6 else low) for k, s in self.states.items()}
        self.amps = {k: off(generator, s.amps) for k, s in self.states.items()}
        self.cell = board.cell
        self.capacity = self.cell.capacity_mah * float(np.exp(generator.normal(0, self.cell.spread)))
        self.efficiency = self.cell.efficiency * (1 + generator.normal(0, 0.03))
        self.own_watts = self.cell.system_watts * float(np.exp(generator.normal(0, 0.25)))
        self.threshold = self.cell.precharge_share * float(np.exp(generator.normal(0, 0.12)))
        self.ohms = off(generator, self.cell.series_ohms, 0.3)

    def into_cell(self, state: DrawState, share: float) -> float:
        """mA into the cell."""
        watts = self.volts[state.id] * self.amps[state.id] * self.efficiency - self.own_watts
        return 1000.0 * max(watts, 0.01) / (rest_volts(self.cell, share) + 0.05)

    def charge(self, share: float, wake_seconds: float, until: float,
               step: float = 1.0) -> Iterator[tuple[float, DrawState, float, float]]:
        """(seconds, state, volts, amps, every `step`) from plugging in on."""
        now = 0.0
        top = self.by_cell["part_charged"]
        dying = 0.0
        while now < until:
            if now < wake_seconds:
                state = self.by_cell["deeply_flat"]
            elif share < self.threshold and "flat" in self.by_cell:
                state = self.by_cell["flat"]
            elif not dying and rest_volts(self.cell, share) + self.into_cell(top, share) / 1000 * self.ohms \
                    < self.cell.full_volts:
                state = top
            else:
                state = self.by_cell["near_full"]
            amps = self.amps[state.id]
            if state.cell == "near_full":
                full_amps = self.into_cell(top, share) / 1000.0
                dying = dying or full_amps
                left = max(1.0 - share, 1e-6) * self.capacity / 1000.0
                dying = max(dying * (1 - dying * step / 3600.0 / max(left, 1e-3)), 0.0) if left > 1e-3 else 0.0
                amps = (dying * rest_volts(self.cell, share) + self.own_watts) / self.efficiency / self.volts[state.id]
                share += dying * 1000.0 * step / 3600.0 / self.capacity
                if dying < self.cell.end_amps:
                    state = self.by_cell["full"]
                    amps = self.amps[state.id]
                    dying = 1e-9
            elif state.cell in ("flat", "part_charged"):
                share += self.into_cell(state, share) * step / 3600.0 / self.capacity
            yield now, state, self.volts[state.id], amps
            self.share = share
            now += step


def healthy_trace(board: Board, generator: np.random.Generator, cell: str, seconds: float,
                  meter: Meter | None = None, supply_class: str = "negotiating") -> MadeTrace:
    """A healthy unit whose cell is deeply_flat, flat or part_charged when it is plugged in."""
    meter = meter or Meter()
    unit = Unit(board, generator, supply_class)
    wake = 0.0
    share = 0.0
    if cell == "deeply_flat":
        first = unit.by_cell["deeply_flat"]
        wake = 60.0 * first.dwell_minutes * float(np.exp(generator.normal(0, first.dwell_spread)))
    elif cell == "flat":
        share = generator.random() * unit.threshold
    else:
        share = generator.uniform(unit.threshold, 0.85)
    times, volts, amps, truth = [], [], [], []
    boots_at = float("nan")
    for now, state, v, a in unit.charge(share, wake, max(seconds, 5 * 3600.0)):
        if np.isnan(boots_at) and unit_share(unit, share) >= unit.cell.boot_share:
            boots_at = now
        if now <= seconds:
            times.append(now)
            volts.append(v)
            amps.append(a)
            truth.append(state.id)
        elif not np.isnan(boots_at):
            break
    at = np.arange(0.0, seconds, 1.0 / meter.rate)
    place = np.searchsorted(np.array(times), at, side="right") - 1
    return read_through(generator, meter, at, np.array(volts)[place], np.array(amps)[place], np.array(truth)[place],
                        boots_at=boots_at)


def unit_share(unit: Unit, start: float) -> float:
    return getattr(unit, "share", start)


def faulty_trace(board: Board, generator: np.random.Generator, kind: str, seconds: float,
                 meter: Meter | None = None, supply_class: str = "negotiating") -> MadeTrace:
    """kind: a state of the profile kept for ever, or 'cycling' with a period of its own."""
    meter = meter or Meter()
    states = {s.id: s for s in board.draw_states if s.supply_class == supply_class}
    state = states[kind]
    at = np.arange(0.0, seconds, 1.0 / meter.rate)
    volts = np.full(len(at), off(generator, state.volts, 0.04))
    amps = np.full(len(at), off(generator, state.amps))
    period = float("nan")
    if state.pattern == "blinking":
        period = float(np.exp(generator.uniform(np.log(8.0 / meter.rate), np.log(max(6.0, 16.0 / meter.rate)))))
        duty = generator.uniform(0.25, 0.7)
        # The supply's own timer wanders by a percent from one try to the next.
        starts = np.cumsum(np.concatenate([[0.0], period * (1 + generator.normal(0, 0.01, int(seconds / period) + 3))]))
        since = at - starts[np.searchsorted(starts, at, side="right") - 1]
        on = since < duty * period
        volts = np.where(on, off(generator, 4.2), 0.1)
        amps = np.where(on, off(generator, 0.5, 0.3), 0.0)
    return read_through(generator, meter, at, volts, amps, np.full(len(at), kind), period=period)


def _waves(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    slow = np.sin(2 * np.pi * at / generator.uniform(150, 500) + generator.uniform(0, 6))
    return np.full(len(at), 9.0), 1.0 + 0.7 * slow


def _other_contract(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.full(len(at), generator.choice([12.0, 15.0, 20.0])), np.full(len(at), generator.uniform(0.3, 2.5))


def _between(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.full(len(at), 5.0), np.full(len(at), generator.uniform(1.0, 1.5))


def _saw(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    length = generator.uniform(30, 90)
    return np.full(len(at), 5.0), 0.1 + 1.3 * ((at % length) / length)


def _telegraph(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    flips = np.cumsum(generator.random(len(at)) < (at[1] - at[0]) / generator.uniform(8, 25)) % 2
    return np.full(len(at), 5.0), 0.15 + 0.9 * flips


def _climb(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return np.full(len(at), 9.0), 0.1 + generator.uniform(2.2, 3.2) * at / at[-1]


def _sagging(generator: np.random.Generator, at: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    return 9.0 - generator.uniform(3.0, 4.5) * at / at[-1], np.full(len(at), generator.uniform(1.2, 2.0))


STRANGE: dict[str, Callable[[np.random.Generator, np.ndarray], tuple[np.ndarray, np.ndarray]]] = {
    "slow waves": _waves, "another contract": _other_contract, "between two states": _between, "saw": _saw,
    "telegraph": _telegraph, "climbing": _climb, "sagging": _sagging,
}
"""Seven kinds of draw that no profile contains."""


def strange_trace(generator: np.random.Generator, kind: str, seconds: float, meter: Meter | None = None) -> MadeTrace:
    meter = meter or Meter()
    at = np.arange(0.0, seconds, 1.0 / meter.rate)
    volts, amps = STRANGE[kind](generator, at)
    return read_through(generator, meter, at, volts, amps, np.full(len(at), "unknown"))
