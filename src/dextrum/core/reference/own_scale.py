"""How this board, read with this meter today, differs from the known-good as a whole.

A meter that has drifted, or a board further from the others than most, shows in all of its readings at once. Robust
regression (Huber's weights) on the readings that are near a good board's, shrunk to 'no difference' by what is usual:
P. J. Huber, Robust Statistics (1981), chapter 7. A fault moves a few readings; this moves them all.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

LEAST_READINGS = 10
NEAR = 0.08
"""A reading within this share of known-good may be a good one that the meter moves."""
USUAL_GAIN, USUAL_OFFSET_VOLTS = 0.006, 0.003
HUBER = 1.5
USUAL_SLIPS = 0.01
SLIP_STEPS = (0.01, 0.02, 0.03, 0.05, 0.08)
SLIPS_BELIEVED = 50.0
"""The usual share of slips is believed as if it had been seen in so many touches."""
STEPS = 8
GAIN_STEP, OFFSET_STEP, SPREAD_STEP = 0.002, 0.001, 0.25
"""The result is rounded, so that one more reading seldom changes what all others are compared with."""
MOST_SPREAD = 2.0
SPREAD_READINGS = 30.0
"""The spread of the board is believed as if so many readings had already been as usual."""


@dataclass(frozen=True)
class OwnScale:
    """A good point with known-good volts c reads (1 + gain) c + offset_volts, and scatters `spread` times as usual.
    slips: share of touches that read open though the copper isn't."""

    gain: float = 0.0
    offset_volts: float = 0.0
    spread: float = 1.0
    slips: float = USUAL_SLIPS

    def corrected(self, volts: float) -> float:
        """The reading as it would be without it; OL and what is nearly ground stay."""
        if volts == float("inf") or volts <= 0.05:
            return volts
        return (volts - self.offset_volts) / (1.0 + self.gain)

    @property
    def is_usual(self) -> bool:
        return (self.gain, self.offset_volts, self.spread) == (0.0, 0.0, 1.0)


AS_USUAL = OwnScale()


def slip_share(slips: int, touches: int) -> float:
    """Share of touches that read open by mistake, from touches of which so many were put right by the next; in steps,
    so that one more touch seldom changes what all others are weighed by."""
    found = (USUAL_SLIPS * SLIPS_BELIEVED + slips) / (SLIPS_BELIEVED + touches)
    return min(SLIP_STEPS, key=lambda step: abs(np.log(step / found)))


def own_scale(volts: np.ndarray, centre: np.ndarray, spread: np.ndarray) -> OwnScale:
    """From readings of different copper (N,), known-good (N,) and its predictive spread (N,), all in volts."""
    known = np.isfinite(volts) & np.isfinite(centre)
    volts, centre, spread = volts[known], centre[known], spread[known]
    usable = (centre > 0.1) & (np.abs(volts - centre) < NEAR * centre)
    if int(usable.sum()) < LEAST_READINGS:
        return AS_USUAL
    y, c, s = volts[usable] - centre[usable], centre[usable], spread[usable]
    design = np.stack([c, np.ones_like(c)], axis=1)
    prior = np.diag([1.0 / USUAL_GAIN ** 2, 1.0 / USUAL_OFFSET_VOLTS ** 2])
    weight = np.ones_like(c)
    found = np.zeros(2)
    for _ in range(STEPS):
        scaled = weight / s ** 2
        found = np.linalg.solve(design.T @ (scaled[:, None] * design) + prior, design.T @ (scaled * y))
        z = np.abs(y - design @ found) / s
        weight = np.minimum(1.0, HUBER / np.maximum(z, 1e-9))
    gain = round(float(found[0]) / GAIN_STEP) * GAIN_STEP
    offset = round(float(found[1]) / OFFSET_STEP) * OFFSET_STEP
    z = (y - design @ found) / s
    own = float(np.median(np.abs(z))) / 0.6745
    shrunk = np.sqrt((len(z) * own ** 2 + SPREAD_READINGS) / (len(z) + SPREAD_READINGS))
    wide = float(np.clip(np.floor(shrunk / SPREAD_STEP) * SPREAD_STEP, 1.0, MOST_SPREAD))
    return OwnScale(round(gain, 6), round(offset, 6), wide)
