"""The cell behind the draw: charge put in so far, and minutes to starting up, to the shop's floor, to full.

A cell is brought back by a small pre-charge, charged with constant current, then at constant voltage with a current
that dies away. What is not known of this unit's cell (how flat it was, what it still holds, what is lost on the way) is
carried as a spread of possible cells; those that the trace so far rules out drop out, so every figure comes with its
range and tightens as the trace goes on.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.special import ndtri

from dextrum.core.board import CellModel
from dextrum.core.draw.profile import DrawProfile
from dextrum.core.draw.spells import Spell

CELLS = 1024
OPEN_SHARES = np.array([0.0, 0.02, 0.05, 0.10, 0.20, 0.40, 0.60, 0.80, 0.90, 1.0])
OPEN_VOLTS = np.array([0.0, 0.32, 0.50, 0.60, 0.65, 0.72, 0.80, 0.91, 0.95, 1.0])
"""Open-circuit volts of a lithium cell between empty (0) and full (1) by its share of charge, in broad strokes."""
RANGE = (0.05, 0.5, 0.95)
OVERDUE = 0.05
MOST_START_SHARE = 0.9
THRESHOLD_SPREAD = 0.12
EFFICIENCY_SPREAD = 0.03
OWN_USE_SPREAD = 0.25
DECAY_SPREAD = 0.25
PHASES = ("deeply_flat", "flat", "part_charged", "near_full", "full")


@dataclass(frozen=True)
class Span:
    """A figure with its range: one in twenty lies below `low`, one in twenty above `high`."""

    low: float
    middle: float
    high: float


@dataclass(frozen=True)
class ChargeForecast:
    """minutes from the end of the trace; None where it is so already (or never, on this draw: `phase` tells).

    phase: the condition of the cell now. overdue: the phase has lasted longer than all but one in twenty of the
    possible cells would take; then the forecast is what would follow if it ended now.
    """

    phase: str
    charge_in_mah: Span
    to_boot: Span | None
    to_floor: Span | None
    to_full: Span | None
    overdue: bool
    should_have_ended_after: float | None


@dataclass(frozen=True)
class _Cells:
    """The possible cells, (N,) each."""

    capacity: np.ndarray
    efficiency: np.ndarray
    own_watts: np.ndarray
    threshold: np.ndarray
    luck: np.ndarray
    level: np.ndarray
    wake: np.ndarray


def possible_cells(model: CellModel) -> _Cells:
    """N cells spread evenly over what the pack says of them: an additive recurrence in seven dimensions.

    M. Roberts's generalisation of the golden ratio: steps of 1/g^k with g the root of x^8 = x + 1. Always the same.
    """
    dimensions = 7
    root = 1.0
    for _ in range(60):
        root = (1.0 + root) ** (1.0 / (dimensions + 1))
    steps = root ** -np.arange(1.0, dimensions + 1)
    u = np.clip((0.5 + np.outer(np.arange(1, CELLS + 1), steps)) % 1.0, 1e-6, 1 - 1e-6)
    z = ndtri(u)
    return _Cells(model.capacity_mah * np.exp(model.spread * z[:, 0]),
                  np.clip(model.efficiency * (1 + EFFICIENCY_SPREAD * z[:, 1]), 0.2, 1.0),
                  model.system_watts * np.exp(OWN_USE_SPREAD * z[:, 2]),
                  model.precharge_share * np.exp(THRESHOLD_SPREAD * z[:, 3]), u[:, 4], z[:, 5], z[:, 6])


def open_volts(model: CellModel, share: np.ndarray | float) -> np.ndarray:
    """Volts at rest by share of charge."""
    return np.asarray(model.empty_volts + (model.full_volts - model.empty_volts)
                      * np.interp(share, OPEN_SHARES, OPEN_VOLTS))


def _cell_milliamps(model: CellModel, cells: _Cells, watts: np.ndarray | float,
                    share: np.ndarray | float) -> np.ndarray:
    """Current into the cell at a share of charge, by what is left of the watts drawn."""
    rest = open_volts(model, share)
    into = np.maximum(cells.efficiency * watts - cells.own_watts, 1e-3)
    # (rest + I R) I = into, solved for I.
    ohms = max(model.series_ohms, 1e-6)
    return np.asarray(1000.0 * (np.sqrt(rest * rest + 4 * ohms * into) - rest) / (2 * ohms))


def _span(values: np.ndarray, weight: np.ndarray) -> Span:
    order = np.argsort(values)
    total = np.cumsum(weight[order])
    found = np.interp(RANGE, (total - 0.5 * weight[order]) / total[-1], values[order])
    return Span(*(float(v) for v in found))


@dataclass(frozen=True)
class _Phases:
    """Seconds at which each phase seen began, and the watts last drawn in it."""

    begins: dict[str, float]
    watts: dict[str, float]
    now: str
    end: float


def _phases(profile: DrawProfile, spells: Sequence[Spell], states: Sequence[int]) -> _Phases | None:
    begins: dict[str, float] = {}
    watts: dict[str, float] = {}
    now = ""
    for spell, state in zip(spells, states, strict=True):
        name = profile.states[state].cell if state != profile.unknown else ""
        if not name:
            continue
        if name not in begins:
            begins[name] = 0.0 if spell.typed and not begins else spell.start
        watts[name] = spell.volts * (spell.mean_amps if name != "near_full" else spell.last_amps)
        now = name
    return _Phases(begins, watts, now, spells[-1].end) if now else None


def _state_watts(profile: DrawProfile, phase: str, cells: _Cells) -> np.ndarray:
    """Watts that the profile expects in a phase not yet seen; nothing where it has no such state."""
    for state in profile.states:
        if state.cell == phase:
            return np.maximum(state.volts * (state.amps + 0.6 * state.amps_spread * cells.level), 0.01)
    return np.zeros(CELLS)


class _Forecast:
    """One trace against the possible cells. Minutes are from the trace's end; arrays are (N,)."""

    def __init__(self, model: CellModel, profile: DrawProfile, seen: _Phases) -> None:
        self.model, self.profile, self.seen = model, profile, seen
        self.cells = possible_cells(model)
        self.weight = np.full(CELLS, 1.0 / CELLS)
        self.overdue = False
        self.should_have_ended: float | None = None
        # Each phase starts when the one before it ends; until then the minutes add up.
        self.wait = np.zeros(CELLS)
        self.share = np.zeros(CELLS)
        self._wake()
        self._precharge()
        self.current = self._constant_current()

    def _minutes_in(self, phase: str) -> float:
        return (self.seen.end - self.seen.begins[phase]) / 60.0

    def _narrow(self, fits: np.ndarray, lasts: np.ndarray | None = None) -> None:
        """Keep the cells that fit; where hardly any does, keep them all, and say so of a phase that must end."""
        mass = float(self.weight[fits].sum())
        if mass < OVERDUE:
            if lasts is not None:
                self.overdue = True
                self.should_have_ended = float(np.quantile(lasts, 1 - OVERDUE))
            return
        self.weight = np.where(fits, self.weight, 0.0) / mass

    def _watts(self, phase: str) -> np.ndarray:
        seen = self.seen.watts.get(phase)
        return _state_watts(self.profile, phase, self.cells) if seen is None else np.full(CELLS, seen)

    def _wake(self) -> None:
        if self.seen.now != "deeply_flat":
            return
        state = next(s for s in self.profile.states if s.cell == "deeply_flat")
        if state.dwell_minutes:
            lasts = state.dwell_minutes * np.exp(state.dwell_spread * self.cells.wake)
            elapsed = self._minutes_in("deeply_flat")
            self._narrow(lasts > elapsed, lasts)
            self.wait += np.maximum(lasts - elapsed, 0.0)

    def _precharge(self) -> None:
        now, cells = self.seen.now, self.cells
        has_phase = any(s.cell == "flat" for s in self.profile.states)
        if now in ("deeply_flat", "flat") and has_phase and self.model.precharge_share > 0:
            flow = _cell_milliamps(self.model, cells, self._watts("flat"), 0.5 * cells.threshold)
            from_empty = "deeply_flat" in self.seen.begins
            start = np.zeros(CELLS) if from_empty else cells.luck * cells.threshold
            lasts = (cells.threshold - start) * cells.capacity / flow * 60.0
            if now == "flat":
                elapsed = self._minutes_in("flat")
                self._narrow(lasts > elapsed, lasts)
                self.wait += np.maximum(lasts - elapsed, 0.0)
            else:
                self.wait += lasts
        if {"flat", "deeply_flat"} & set(self.seen.begins):
            self.share = cells.threshold.copy()
        else:
            self.share = cells.threshold + cells.luck * (MOST_START_SHARE - cells.threshold)

    def _constant_current(self) -> np.ndarray:
        """mA in constant current; moves `share` on by what has gone in already."""
        watts = self._watts("part_charged")
        flow = _cell_milliamps(self.model, self.cells, watts, 0.45)
        if self.seen.now == "part_charged":
            gone = flow * self._minutes_in("part_charged") / 60.0 / self.cells.capacity
            share = self.share + gone
            top = self._top(flow)
            self._narrow(share < top)
            self.share = np.minimum(share, top)
        return flow

    def _top(self, flow: np.ndarray) -> np.ndarray:
        """Share at which the charger goes over to constant voltage."""
        rest = self.model.full_volts - flow / 1000.0 * self.model.series_ohms
        height = (rest - self.model.empty_volts) / (self.model.full_volts - self.model.empty_volts)
        return np.asarray(np.interp(height, OPEN_VOLTS, OPEN_SHARES))

    def minutes_to(self, target: float) -> np.ndarray:
        """Minutes to a share of charge, 1 for the end of charging; 0 where it is there."""
        cells = self.cells
        top = np.minimum(self._top(self.current), 0.995)
        decay = (1.0 - top) * cells.capacity / self.current * 60.0 * np.exp(DECAY_SPREAD * cells.level)
        start = np.maximum(self.current, 1.2 * 1000.0 * self.model.end_amps)
        if self.seen.now in ("near_full", "full"):
            flow = _cell_milliamps(self.model, cells, np.full(CELLS, self.seen.watts[self.seen.now]), 0.97)
            left = 1.0 - (1.0 - top) * np.minimum(flow / start, 1.0)
            if target >= 1.0:
                return np.asarray(decay * np.log(np.maximum(flow / (1000.0 * self.model.end_amps), 1.0)))
            return np.asarray(np.where(left >= target, 0.0, decay * np.log((1 - left) / (1 - target))))
        steady = np.maximum(np.minimum(target, top) - self.share, 0.0) * cells.capacity / self.current * 60.0
        if target >= 1.0:
            dying = decay * np.log(start / (1000.0 * self.model.end_amps))
        else:
            dying = np.where(target > top, decay * np.log((1 - top) / (1 - np.minimum(target, 0.999))), 0.0)
        there = (self.share >= target) & (self.wait <= 0)
        return np.asarray(np.where(there, 0.0, self.wait + steady + dying))

    def charge_in(self, spells: Sequence[Spell], states: Sequence[int]) -> np.ndarray:
        """mAh put into the cell so far, (N,)."""
        total = np.zeros(CELLS)
        typical = {"flat": 0.02, "part_charged": 0.45, "near_full": 0.97}
        ends = [*(s.start for s in spells[1:]), spells[-1].end]
        for spell, state, until in zip(spells, states, ends, strict=True):
            phase = self.profile.states[state].cell if state != self.profile.unknown else ""
            if phase in typical:
                begin = 0.0 if spell.typed and spell is spells[0] else spell.start
                hours = max(until if spell.typed else spell.end, begin) - begin
                flow = _cell_milliamps(self.model, self.cells, spell.volts * spell.mean_amps, typical[phase])
                total += flow * hours / 3600.0
        return total


@lru_cache(maxsize=128)
def remembered_forecast(model: CellModel, profile: DrawProfile, spells: tuple[Spell, ...], states: tuple[int, ...],
                        floor_share: float) -> ChargeForecast | None:
    """`forecast_charge` of a trace that stays as it is while the trail grows."""
    return forecast_charge(model, profile, spells, states, floor_share)


def forecast_charge(model: CellModel, profile: DrawProfile, spells: Sequence[Spell], states: Sequence[int],
                    floor_share: float) -> ChargeForecast | None:
    """What the trace says about the cell; None while nothing in it is a charging state of the profile."""
    seen = _phases(profile, spells, states)
    if seen is None:
        return None
    forecast = _Forecast(model, profile, seen)

    def span(target: float) -> Span | None:
        minutes = forecast.minutes_to(target)
        found = _span(minutes, forecast.weight)
        return None if found.high <= 0 else found

    return ChargeForecast(
        seen.now, _span(forecast.charge_in(spells, states), forecast.weight),
        span(model.boot_share), span(floor_share), span(1.0), forecast.overdue, forecast.should_have_ended)
