"""What an in-line power meter shows on a simulated unit over time: its cell charges, its faults hold it back."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Board, DrawState
from dextrum.core.draw.samples import Samples
from dextrum.core.draw.states import states_of, used_class

LEVEL_SPREAD = 0.35
"""How far a unit's own level lies from the profile's, in units of the profile's spread."""
RETRY_SECONDS, RETRY_DUTY = (0.8, 2.4), (0.3, 0.6)
NOISE_VOLTS, NOISE_AMPS = 0.006, 0.003
DYING_MINUTES = 22.0


@dataclass(frozen=True)
class Phase:
    """A state with when it begins and, for one that dies away, how fast."""

    state: DrawState
    begins: float
    volts: float
    amps: float
    dying_seconds: float = 0.0


class SimulatedDraw:
    """One unit on one supply, one way up. first: the state it begins in; healthy: whether it goes on from there."""

    def __init__(self, board: Board, first: str, healthy: bool, generator: np.random.Generator,
                 supply_class: str = "") -> None:
        self.generator = generator
        used = used_class(board, supply_class)
        self.states = {s.id: s for s in states_of(board, used)}
        self.phases: list[Phase] = []
        state, at = self.states[first], 0.0
        midway = state.cell != "deeply_flat"
        volts_off, amps_off = generator.normal(0, LEVEL_SPREAD, 2)
        while True:
            volts = state.volts + volts_off * state.volts_spread
            amps = max(state.amps + amps_off * state.amps_spread, 0.0)
            if state.pattern == "falling" and self.phases:
                amps = self.phases[-1].amps
            dying = 60.0 * DYING_MINUTES if state.pattern == "falling" else 0.0
            self.phases.append(Phase(state, at, volts, amps, dying))
            if not healthy or not state.dwell_minutes or not state.followed_by:
                break
            stay = 60.0 * state.dwell_minutes * float(np.exp(state.dwell_spread * generator.normal()))
            at += stay * generator.random() if midway else stay
            midway = False
            state = self.states[state.followed_by[0]]
        self.period = generator.uniform(*RETRY_SECONDS)
        self.duty = generator.uniform(*RETRY_DUTY)

    def phase_at(self, seconds: float) -> Phase:
        return next(p for p in reversed(self.phases) if p.begins <= seconds or p is self.phases[0])

    def level(self, minute: float) -> tuple[float, float, str]:
        """Volts, amps and pattern as a technician reads them off at that minute."""
        phase = self.phase_at(60.0 * minute)
        amps = phase.amps * self._left(phase, 60.0 * minute)
        return (round(max(phase.volts + self.generator.normal(0, NOISE_VOLTS), 0.0), 2),
                round(max(amps + self.generator.normal(0, NOISE_AMPS), 0.0), 2),
                "blinking" if phase.state.pattern == "blinking" else "steady")

    def instant(self, seconds: float) -> tuple[float, float]:
        """Volts and amps of one sample, so many seconds after plugging in, as a meter logs it."""
        phase = self.phase_at(seconds)
        volts, amps = phase.volts, phase.amps * self._left(phase, seconds)
        if phase.state.pattern == "blinking" and (seconds % self.period) > self.duty * self.period:
            volts, amps = 0.05, 0.0
        return (round(max(volts + float(self.generator.normal(0, NOISE_VOLTS)), 0.0), 3),
                round(max(amps + float(self.generator.normal(0, NOISE_AMPS)), 0.0), 3))

    @staticmethod
    def _left(phase: Phase, seconds: float) -> float:
        return float(np.exp(-(seconds - phase.begins) / phase.dying_seconds)) if phase.dying_seconds else 1.0

    def samples(self, seconds: float, rate: float) -> Samples:
        """A trace from plugging in on, as the meter logs it: rounded to 1 mV and 1 mA."""
        at = np.arange(0.0, seconds, 1.0 / rate)
        volts, amps = np.zeros(len(at)), np.zeros(len(at))
        for k, phase in enumerate(self.phases):
            end = self.phases[k + 1].begins if k + 1 < len(self.phases) else np.inf
            here = (at >= phase.begins) & (at < end)
            volts[here], amps[here] = phase.volts, phase.amps
            if phase.dying_seconds:
                amps[here] *= np.exp(-(at[here] - phase.begins) / phase.dying_seconds)
            if phase.state.pattern == "blinking":
                starts = np.cumsum(self.period * (1 + self.generator.normal(0, 0.01, int(seconds / self.period) + 3)))
                since = at - np.concatenate([[0.0], starts])[np.searchsorted(starts, at, side="right")]
                resting = here & (since > self.duty * self.period)
                volts[resting], amps[resting] = 0.05, 0.0
        volts += self.generator.normal(0, NOISE_VOLTS, len(at))
        amps += self.generator.normal(0, NOISE_AMPS, len(at))
        return Samples(np.round(at, 3), np.round(np.maximum(volts, 0.0), 3), np.round(np.maximum(amps, 0.0), 3))
