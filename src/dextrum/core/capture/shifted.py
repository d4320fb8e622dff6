"""Whether a scan that was typed in order stands one contact too far: one was skipped, or one was entered twice.

Every way of moving the readings from some contact on by one is compared with the readings as they stand, by the
likelihood ratio of their values under known-good (a normal about each contact's centre, mixed with a broad density for
contacts that are really off, so that one fault does not decide). A shift is asked about, never made.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import exp, isfinite, log, pi, sqrt

FAULTY = 0.05
"""Chance that a contact reads something else than a good one: by the share of contacts that are off on boards that come
in."""
BROAD_VOLTS = 2.0
"""Width of the flat density of what is off, the range of a meter's diode mode."""
OPEN_SHARE = 0.3
"""Of contacts that are off, those that read OL."""
LEAST_GAIN = 9.0
"""ln of the likelihood ratio from which it is asked: better than one scan in 8,000 by chance, for 48 ways of
shifting."""
FEWEST = 4


@dataclass(frozen=True)
class Shift:
    """Readings from `first` on belong to the contact `by` places further on (-1: further back). gain: ln of how much
    better they fit so."""

    first: str
    by: int
    gain: float


def _log_density(value: float, centre: float, spread: float) -> float:
    if not isfinite(value):
        return log(FAULTY * OPEN_SHARE) if isfinite(centre) else log(1.0 - FAULTY)
    off = FAULTY * (1.0 - OPEN_SHARE) / BROAD_VOLTS
    if not isfinite(centre):
        return log(off)
    z = (value - centre) / spread
    return log((1.0 - FAULTY) * exp(-0.5 * z * z) / (spread * sqrt(2.0 * pi)) + off)


def likeliest_shift(order: Sequence[str], values: Mapping[str, float],
                    expected: Mapping[str, tuple[float, float]]) -> Shift | None:
    """order: contacts as they are walked. values: volts read, inf for OL. expected: centre and spread of good boards.
    None where the readings fit as they stand, or too few have known-good."""
    best: Shift | None = None
    read = [k for k, point in enumerate(order) if point in values]
    for by in (1, -1):
        gains: list[float] = []
        for k in read:
            there = k - by  # the contact whose value stands at k if one was skipped (by = 1) or doubled (-1)
            if order[k] not in expected or not 0 <= there < len(order) or order[there] not in expected:
                gains.append(0.0)
                continue
            gains.append(_log_density(values[order[k]], *expected[order[there]])
                         - _log_density(values[order[k]], *expected[order[k]]))
        total = 0.0
        for place in range(len(read) - 1, -1, -1):
            total += gains[place]
            if len(read) - place >= FEWEST and total > (best.gain if best is not None else LEAST_GAIN):
                best = Shift(order[read[place]], -by, total)
    return best
