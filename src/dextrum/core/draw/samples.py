"""Samples of a trace: seconds, volts and amps, put in order, and packed into text for the trail.

Packed: little-endian int32 differences of milliseconds, of 0.1 mV and of 0.01 mA, column by column, zlib, base64.
"""

from __future__ import annotations

import base64
import binascii
import zlib
from dataclasses import dataclass

import numpy as np

from dextrum.tongue import tr

MOST_SAMPLES = 2_000_000
SCALES = (1e3, 1e4, 1e5)
"""Steps a second, a volt, an ampere."""
LARGEST_STEP = 2 ** 31 - 1


@dataclass(frozen=True)
class Samples:
    """seconds since the trace began, volts, amps: each (N,), seconds rising strictly."""

    seconds: np.ndarray
    volts: np.ndarray
    amps: np.ndarray

    def __len__(self) -> int:
        return len(self.seconds)

    @property
    def step_seconds(self) -> float:
        """The usual time from one sample to the next."""
        return float(np.median(np.diff(self.seconds))) if len(self) > 1 else 1.0


@dataclass(frozen=True)
class Tidied:
    """Samples in order, with what was done to them: how many came twice, out of order, and how many are missing."""

    samples: Samples
    doubled: int
    out_of_order: int
    missing: int


def tidy(seconds: np.ndarray, volts: np.ndarray, amps: np.ndarray) -> Tidied:
    """Sort by time, average what came at the same time, start at zero, count gaps.

    Raises ValueError when lengths differ or a value is not finite.
    """
    seconds, volts, amps = (np.asarray(a, dtype=float) for a in (seconds, volts, amps))
    if not len(seconds) == len(volts) == len(amps):
        raise ValueError(tr("seconds, volts and amps differ in length"))
    if not (np.isfinite(seconds).all() and np.isfinite(volts).all() and np.isfinite(amps).all()):
        raise ValueError(tr("a value is not a finite number"))
    if not len(seconds):
        return Tidied(Samples(seconds, volts, amps), 0, 0, 0)
    out_of_order = int((np.diff(seconds) < 0).sum())
    if out_of_order:
        order = np.argsort(seconds, kind="stable")
        seconds, volts, amps = seconds[order], volts[order], amps[order]
    ticks = np.round((seconds - seconds[0]) * SCALES[0])
    fresh = np.concatenate([[True], np.diff(ticks) > 0])
    doubled = int((~fresh).sum())
    if doubled:
        starts = np.flatnonzero(fresh)
        count = np.diff(np.append(starts, len(ticks)))
        volts, amps = np.add.reduceat(volts, starts) / count, np.add.reduceat(amps, starts) / count
        ticks = ticks[starts]
    found = Samples(ticks / SCALES[0], volts, amps)
    gaps = np.diff(found.seconds) / found.step_seconds if len(found) > 1 else np.zeros(0)
    missing = int(np.sum(np.round(gaps[gaps > 1.6]) - 1)) if len(gaps) else 0
    return Tidied(found, doubled, out_of_order, missing)


def pack_samples(samples: Samples) -> str:
    """Text of the samples. Raises ValueError when there are too many or a step is out of range."""
    if len(samples) > MOST_SAMPLES:
        raise ValueError(tr("{count} samples; expected at most {most_samples}", count=len(samples),
                            most_samples=MOST_SAMPLES))
    columns = []
    for values, scale in zip((samples.seconds, samples.volts, samples.amps), SCALES, strict=True):
        steps = np.diff(np.round(values * scale), prepend=0.0)
        if len(steps) and not np.abs(steps).max() <= LARGEST_STEP:
            raise ValueError(tr("a sample is out of range"))
        columns.append(steps.astype("<i4").tobytes())
    return base64.b64encode(zlib.compress(b"".join(columns), 6)).decode("ascii")


def unpack_samples(text: str, count: int) -> Samples:
    """The samples of a packed text. Raises ValueError when it does not hold exactly `count` of them, in order."""
    if not 0 <= count <= MOST_SAMPLES:
        raise ValueError(tr("{count} samples; expected at most {most_samples}", count=count, most_samples=MOST_SAMPLES))
    expected = 12 * count
    try:
        unpacking = zlib.decompressobj()
        raw = unpacking.decompress(base64.b64decode(text, validate=True), expected + 1)
    except (binascii.Error, zlib.error, UnicodeEncodeError) as bad:
        raise ValueError(tr("the samples can't be unpacked ({bad})", bad=bad)) from None
    if len(raw) != expected or not unpacking.eof:
        raise ValueError(tr("the samples hold {count} bytes; expected {expected}, whole", count=len(raw),
                            expected=expected))
    columns = np.cumsum(np.frombuffer(raw, dtype="<i4").reshape(3, count).astype(np.int64), axis=1)
    seconds, volts, amps = (column / scale for column, scale in zip(columns, SCALES, strict=True))
    if count and not ((np.diff(seconds) > 0).all() and seconds[0] >= 0):
        raise ValueError(tr("the samples are not in the order of time"))
    return Samples(seconds, volts, amps)
