"""A trace that still grows: every sample is taken in constant time; the whole is analysed again from time to time.

The running plateau is watched with a step statistic over its newest samples (the same as in `changes`, on one side
only); a step closes it. What is shown at once is the plateau and the state that fits it best.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.draw.changes import Noise, Plateaus, estimate_noise, penalty
from dextrum.core.draw.profile import DrawProfile
from dextrum.core.draw.regimes import log_emissions
from dextrum.core.draw.samples import MOST_SAMPLES, Samples
from dextrum.core.draw.spells import Spell, spells_of
from dextrum.tongue import tr

WATCHED_EVERY = 16
WINDOWS = (1, 2, 4, 8, 16, 32, 64)
FIRST_SAMPLES = 4096
NOISE_EVERY, NOISE_FROM = 512, 512


@dataclass(frozen=True)
class LiveNow:
    """What the newest sample shows. state: index in the profile, 'unknown' included; -1 without a profile.

    began: seconds at which this plateau began; changed: it began with this sample or the few before it.
    """

    seconds: float
    volts: float
    amps: float
    plateau_volts: float
    plateau_amps: float
    began: float
    changed: bool
    state: int


class LiveTrace:
    """Samples as they come."""

    def __init__(self, profile: DrawProfile | None = None, switched_on: bool = False) -> None:
        self.profile = profile
        self.switched_on = switched_on
        self._data = np.zeros((3, FIRST_SAMPLES))
        self._sums = np.zeros((2, FIRST_SAMPLES + 1))
        self.count = 0
        self.edges = [0]
        self.noise = Noise(0.01, 0.005, 0.0, 0.0)

    def _grow(self, more: int = 1) -> None:
        """Room for so many more samples."""
        if self.count + more > MOST_SAMPLES:
            raise ValueError(tr("{count} samples; a trace holds no more", count=self.count))
        if self.count + more > self._data.shape[1]:
            self._data = np.concatenate([self._data, np.zeros_like(self._data)], axis=1)
            sums = np.zeros((2, self._data.shape[1] + 1))
            sums[:, :self._sums.shape[1]] = self._sums
            self._sums = sums

    def add(self, seconds: float, volts: float, amps: float) -> LiveNow:
        """Take one sample. Raises ValueError when it isn't later than the last one, or the trace is full."""
        if self.count and not seconds > self._data[0, self.count - 1]:
            raise ValueError(tr("a sample at {seconds:g} s after one at {data:g} s", seconds=seconds,
                                data=self._data[0, self.count - 1]))
        self._grow()
        self._data[:, self.count] = (seconds, volts, amps)
        self._sums[:, self.count + 1] = self._sums[:, self.count] + (volts, amps)
        self.count += 1
        if self.count % NOISE_EVERY == 0 or self.count == 32:
            self.noise = estimate_noise(self.samples(max(0, self.count - NOISE_FROM)))
        return self._now(self._watch())

    def add_many(self, seconds: np.ndarray, volts: np.ndarray, amps: np.ndarray) -> LiveNow:
        """Take many samples at once (N,), N at least 1; the plateau is looked at every few of them only, since a meter
        that is so quick has several on any step. Raises ValueError when they don't rise, or the trace is full."""
        if not (np.diff(seconds) > 0).all() or (self.count and not seconds[0] > self._data[0, self.count - 1]):
            raise ValueError(tr("samples that don't come one after another"))
        changed = False
        for start in range(0, len(seconds), WATCHED_EVERY):
            part = slice(start, min(start + WATCHED_EVERY, len(seconds)))
            while self.count + part.stop - part.start > self._data.shape[1]:
                self._grow(part.stop - part.start)
            here = slice(self.count, self.count + part.stop - part.start)
            self._data[:, here] = seconds[part], volts[part], amps[part]
            sums = np.cumsum(self._data[1:, here], axis=1) + self._sums[:, [self.count]]
            self._sums[:, here.start + 1:here.stop + 1] = sums
            noisy = self.count // NOISE_EVERY != here.stop // NOISE_EVERY or self.count < 32 <= here.stop
            self.count = here.stop
            if noisy:
                self.noise = estimate_noise(self.samples(max(0, self.count - NOISE_FROM)))
            changed = self._watch() or changed
        return self._now(changed)

    def _now(self, changed: bool) -> LiveNow:
        """What the newest sample shows."""
        seconds, volts, amps = (float(v) for v in self._data[:, self.count - 1])
        begin = self.edges[-1]
        mean = (self._sums[:, self.count] - self._sums[:, begin]) / (self.count - begin)
        began = float(self._data[0, begin])
        state = -1
        if self.profile is not None:
            spell = Spell(began, seconds, float(mean[0]), float(mean[1]), float(mean[1]), float(mean[1]),
                          samples=self.count - begin)
            state = int(log_emissions(self.profile.states, (spell,), self.switched_on)[0].argmax())
        return LiveNow(seconds, volts, amps, float(mean[0]), float(mean[1]), began, changed, state)

    def _watch(self) -> bool:
        """Close the plateau where the newest samples have left it."""
        begin = self.edges[-1]
        best, place = penalty(self.count), -1
        for width in WINDOWS:
            inner = self.count - begin - width
            if inner < 2:
                break
            split = self.count - width
            before = (self._sums[:, split] - self._sums[:, begin]) / inner
            after = (self._sums[:, self.count] - self._sums[:, split]) / width
            volts = (after[0] - before[0]) / max(self.noise.volts, 0.01 * abs(before[0]))
            amps = (after[1] - before[1]) / max(self.noise.amps, 0.02 * abs(before[1]), 0.002)
            saved = (volts * volts + amps * amps) * width * inner / (width + inner)
            if saved > best:
                best, place = float(saved), split
        if place < 0:
            return False
        self.edges.append(place)
        return True

    def samples(self, start: int = 0) -> Samples:
        """A copy of the samples from an index on."""
        seconds, volts, amps = self._data[:, start:self.count].copy()
        return Samples(seconds, volts, amps)

    def shown(self) -> Samples:
        """All samples as they lie here, not copied: only to be looked at."""
        seconds, volts, amps = self._data[:, :self.count]
        return Samples(seconds, volts, amps)

    def spells(self) -> tuple[Spell, ...]:
        """The spells so far, from the running plateaus. Raises ValueError while there is no sample."""
        if not self.count:
            raise ValueError(tr("the trace is empty"))
        bounds = np.array([*self.edges, self.count])
        means = ((self._sums[:, bounds[1:]] - self._sums[:, bounds[:-1]]) / np.diff(bounds)).T
        return spells_of(self.samples(), Plateaus(bounds, means, means, means, self.noise))
