"""From plateaus to spells: stretches of a trace in which the draw does one thing."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.draw.changes import Noise, Plateaus, estimate_noise, find_plateaus
from dextrum.core.draw.rhythm import Rhythm, find_beat, two_levels
from dextrum.core.draw.samples import Samples

LONGEST_HALF_CYCLE = 60.0
FEWEST_TOGGLES = 8
LEAST_CONTRAST = 0.4
LEAST_SWING_VOLTS, LEAST_SWING_AMPS = 0.3, 0.015
SAME_VOLTS, SAME_AMPS, SAME_SHARE = 0.06, 0.012, 0.04
"""Plateaus nearer than this are one thing to a technician, whatever the noise allows to tell apart."""
GLITCH_SAMPLES = 2
GLITCH_SECONDS = 1.0


@dataclass(frozen=True)
class Spell:
    """start, end in seconds. volts, amps: the mean; while on, for what comes and goes. first_amps and last_amps: at
    its ends. pattern: steady, blinking or irregular. typed: a single look at a meter, its length unknown."""

    start: float
    end: float
    volts: float
    amps: float
    first_amps: float
    last_amps: float
    pattern: str = "steady"
    rhythm: Rhythm | None = None
    samples: int = 1
    typed: bool = False

    @property
    def seconds(self) -> float:
        return self.end - self.start

    @property
    def mean_amps(self) -> float:
        """Over on and off."""
        return self.amps * self.rhythm.duty if self.rhythm else self.amps


def typed_spell(minute: float, volts: float, amps: float, blinking: bool = False) -> Spell:
    """One look at a meter."""
    at = minute * 60.0
    return Spell(at, at, volts, amps, amps, amps, "blinking" if blinking else "steady", typed=True)


@dataclass(frozen=True)
class _Flat:
    """Arrays of the plateaus with their times, (P,)."""

    start: np.ndarray
    end: np.ndarray
    volts: np.ndarray
    amps: np.ndarray
    first: np.ndarray
    last: np.ndarray
    count: np.ndarray


def _timed(samples: Samples, plateaus: Plateaus) -> _Flat:
    times = np.append(samples.seconds, samples.seconds[-1] + samples.step_seconds)[plateaus.edges]
    return _Flat(times[:-1], times[1:], plateaus.means[:, 0], plateaus.means[:, 1], plateaus.first, plateaus.last,
                 np.diff(plateaus.edges))


def _steady(flat: _Flat, k: int) -> Spell:
    return Spell(float(flat.start[k]), float(flat.end[k]), float(flat.volts[k]), float(flat.amps[k]),
                 float(flat.first[k, 1]), float(flat.last[k, 1]), samples=int(flat.count[k]))


def _busy_runs(flat: _Flat) -> Iterator[tuple[int, int]]:
    """Stretches [low, high) of short plateaus, long enough to hold a few cycles."""
    short = np.concatenate([[False], flat.end - flat.start <= LONGEST_HALF_CYCLE, [False]])
    turns = np.flatnonzero(np.diff(short.astype(int)))
    for low, high in zip(turns[::2], turns[1::2], strict=True):
        if high - low >= FEWEST_TOGGLES:
            yield int(low), int(high)


def _toggling(flat: _Flat, low: int, high: int, noise: Noise, step_seconds: float) -> tuple[int, int, Spell] | None:
    """The part of a busy run that comes and goes, as one spell with the plateaus [from, to) it stands for."""
    part = slice(low, high)
    weights = flat.end[part] - flat.start[part]
    by_volts = np.ptp(flat.volts[part]) / noise.volts > 4 * np.ptp(flat.amps[part]) / noise.amps
    values = flat.volts[part] if by_volts else flat.amps[part]
    off, on = two_levels(values, weights)
    if on - off < max(LEAST_CONTRAST * on, LEAST_SWING_VOLTS if by_volts else LEAST_SWING_AMPS):
        return None
    is_on = values > (off + on) / 2
    turns = np.flatnonzero(np.diff(is_on.astype(int))) + 1
    rises = turns[is_on[turns]]
    falls = turns[~is_on[turns]]
    falls = falls[falls > rises[0]] if len(rises) else falls
    pairs = min(len(rises), len(falls))
    if 2 * pairs < FEWEST_TOGGLES:
        return None
    rises, falls = rises[:pairs], falls[:pairs]
    beat = find_beat(flat.start[part][rises], flat.start[part][falls], step_seconds)
    first, last = 0, high - low
    if beat is not None:
        ending = int(falls[min(beat.last, pairs - 1)])
        first, last = int(rises[beat.first]), ending + 1
        # What is left of a cycle at either end belongs to the rhythm.
        reach = 1.3 * beat.rhythm.period_seconds
        while first > 0 and flat.start[part][rises[beat.first]] - flat.start[part][first - 1] <= reach:
            first -= 1
        while last < high - low and flat.end[part][last] - flat.start[part][ending] <= reach:
            last += 1
    inner = slice(low + first, low + last)
    here = is_on[first:last]
    lengths = np.maximum(weights[first:last], 1e-9)
    volts = float(np.average(flat.volts[inner][here], weights=lengths[here]))
    amps = float(np.average(flat.amps[inner][here], weights=lengths[here]))
    return low + first, low + last, Spell(
        float(flat.start[inner][0]), float(flat.end[inner][-1]), volts, amps, amps, amps,
        "irregular" if beat is None else "blinking", None if beat is None else beat.rhythm,
        int(flat.count[inner].sum()))


def _joins(one: Spell, two: Spell, volts_apart: float, noise: Noise) -> bool:
    if one.pattern != "steady" or two.pattern != "steady":
        return False
    reach = max(SAME_AMPS, SAME_SHARE * max(one.last_amps, two.first_amps), 1.2 * noise.step_amps)
    if _leaning(one, reach) != _leaning(two, reach):
        return False
    return abs(one.last_amps - two.first_amps) <= reach and volts_apart <= max(SAME_VOLTS, 1.2 * noise.step_volts)


def _leaning(spell: Spell, reach: float) -> int:
    """1 rising, -1 falling, 0 level for all that matters."""
    change = spell.last_amps - spell.first_amps
    return 0 if abs(change) <= reach else 1 if change > 0 else -1


def _joined(one: Spell, two: Spell) -> Spell:
    count = one.samples + two.samples
    share = two.samples / count
    return replace(one, end=two.end, last_amps=two.last_amps, samples=count,
                   volts=one.volts + share * (two.volts - one.volts), amps=one.amps + share * (two.amps - one.amps))


def _is_glitch(spell: Spell) -> bool:
    return spell.pattern == "steady" and spell.samples <= GLITCH_SAMPLES and spell.seconds <= GLITCH_SECONDS


def merge_spells(spells: list[Spell], noise: Noise) -> tuple[Spell, ...]:
    """Neighbours that are one thing to a technician joined; a sample or two out of line absorbed."""
    kept: list[Spell] = []
    for k, spell in enumerate(spells):
        if kept and _joins(kept[-1], spell, abs(kept[-1].volts - spell.volts), noise):
            kept[-1] = _joined(kept[-1], spell)
        elif (kept and _is_glitch(spell) and k + 1 < len(spells)
              and _joins(kept[-1], spells[k + 1], abs(kept[-1].volts - spells[k + 1].volts), noise)):
            kept[-1] = replace(kept[-1], end=spell.end)
        else:
            kept.append(spell)
    return tuple(kept)


SPIKE_NOISES, MOST_SPIKES = 8.0, 0.05
"""A single sample this far from both of its neighbours, which agree, is a glitch; more of them than this share of the
samples are no glitches but what the draw does."""


def without_spikes(samples: Samples) -> Samples:
    """The samples with single ones out of line put to the mean of their neighbours, where they are few. A meter that
    takes one a second makes each of them last a second, which no length in time tells from a spell."""
    if len(samples) < 20:
        return samples
    noise = estimate_noise(samples)
    lone = np.zeros(len(samples), dtype=bool)
    for values, spread in ((samples.volts, noise.volts), (samples.amps, noise.amps)):
        before, here, after = values[:-2], values[1:-1], values[2:]
        reach = SPIKE_NOISES * spread
        lone[1:-1] |= (np.minimum(np.abs(here - before), np.abs(here - after)) > reach) & (
            np.abs(before - after) < reach) & ((here > np.maximum(before, after)) | (here < np.minimum(before, after)))
    if not lone.any() or lone.mean() > MOST_SPIKES:
        return samples
    place = np.flatnonzero(lone)
    volts, amps = samples.volts.copy(), samples.amps.copy()
    for values in (volts, amps):
        values[place] = 0.5 * (values[place - 1] + values[place + 1])
    return Samples(samples.seconds, volts, amps)


def spells_of(samples: Samples, plateaus: Plateaus | None = None) -> tuple[Spell, ...]:
    """The spells of a trace, in time. Raises ValueError for an empty one."""
    if plateaus is None:
        samples = without_spikes(samples)
    plateaus = find_plateaus(samples) if plateaus is None else plateaus
    flat = _timed(samples, plateaus)
    found: list[Spell] = []
    done = 0
    for low, high in _busy_runs(flat):
        toggling = _toggling(flat, low, high, plateaus.noise, samples.step_seconds)
        if toggling is not None:
            first, last, spell = toggling
            found.extend(_steady(flat, k) for k in range(done, first))
            found.append(spell)
            done = last
    found.extend(_steady(flat, k) for k in range(done, len(plateaus)))
    return merge_spells(found, plateaus.noise)
