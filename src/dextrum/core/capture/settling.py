"""When a value that a meter shows has settled.

Over the newest `seconds` a straight line is laid through the readings (least squares). The value has settled when, at
the stated confidence, the line moves by no more than `within` over that time, and no reading in it was OL or lies
outside what the meter's own noise explains. The scatter is the meter's stated noise, or what the readings show where
that is more; so the bound on the slope is the normal one: N. R. Draper and H. Smith, Applied Regression Analysis,
1998, section 1.4.
"""

from __future__ import annotations

import math
from collections import deque
from dataclasses import dataclass, field

from dextrum.tongue import tr

LEAST_READINGS = 4
LEAST_OF_SLOW = ((0.4, 2), (0.2, 3))
"""Seconds between readings, from which so many are enough: they span the time over which a value must stand all the
same, and waiting for more would hold the hand at each point for seconds."""
OUTSIDE = 4.0
"""A reading this many times the noise off the line is no noise."""


@dataclass(frozen=True)
class SettlingTest:
    """within: volts (or ohms as a share of the value, `relative`); seconds: over which; confidence: one-sided.

    noise: standard deviation of a settled reading of this meter, in the same unit.
    """

    within: float = 0.006
    seconds: float = 0.3
    confidence: float = 0.95
    noise: float = 0.001
    relative: bool = False

    @property
    def words(self) -> str:
        """The test as it is stated to the technician."""
        shown = f"{100 * self.within:g} %" if self.relative else tr("{within:g} mV", within=1000 * self.within)
        return tr("within {shown} over {seconds:g} ms at {confidence:g} % confidence", shown=shown,
                  seconds=1000 * self.seconds, confidence=100 * self.confidence)


DIODE_TEST = SettlingTest()
OHMS_TEST = SettlingTest(within=0.03, noise=0.012, relative=True)


@dataclass
class Settling:
    """Readings of one touch as they come. few: whether the meter is so slow that two of them settle a value."""

    test: SettlingTest
    few: bool = False
    _at: deque[float] = field(default_factory=deque)
    _values: deque[float] = field(default_factory=deque)

    def clear(self) -> None:
        self._at.clear()
        self._values.clear()

    def add(self, seconds: float, value: float) -> float:
        """Take one reading; the settled value, or nan while it moves. OL, and time going back, begin anew."""
        if not math.isfinite(value) or (self._at and seconds <= self._at[-1]):
            self.clear()
            if not math.isfinite(value):
                return float("nan")
        self._at.append(seconds)
        self._values.append(value)
        least = self._least()
        self.few = least == LEAST_OF_SLOW[0][1]
        while len(self._at) > least and seconds - self._at[1] >= self.test.seconds - 1e-9:
            self._at.popleft()
            self._values.popleft()
        return self._judge()

    def _least(self) -> int:
        """Readings that are asked for, by how quickly they come."""
        if len(self._at) < 2:
            return LEAST_READINGS
        between = (self._at[-1] - self._at[0]) / (len(self._at) - 1)
        return next((least for apart, least in LEAST_OF_SLOW if between >= apart - 1e-9), LEAST_READINGS)

    def _judge(self) -> float:
        test = self.test
        count = len(self._at)
        if count < self._least() or self._at[-1] - self._at[0] < test.seconds - 1e-9:
            return float("nan")
        from statistics import NormalDist, median  # with the first touch: it takes a while to load

        at, values = list(self._at), list(self._values)
        scale = max(abs(median(values)), 0.3) if test.relative else 1.0
        noise, within = test.noise * scale, test.within * scale
        middle, level = sum(at) / count, sum(values) / count
        spread = sum((t - middle) ** 2 for t in at)
        slope = sum((t - middle) * (v - level) for t, v in zip(at, values, strict=True)) / spread
        rest = [v - level - slope * (t - middle) for t, v in zip(at, values, strict=True)]
        if max(abs(r) for r in rest) > OUTSIDE * noise:
            return float("nan")
        # Two readings lie on their line: then only what the meter's own noise allows is known.
        shown = math.sqrt(sum(r * r for r in rest) / (count - 2)) if count > 2 else 0.0
        reach = NormalDist().inv_cdf(test.confidence) * max(noise, shown) / math.sqrt(spread)
        if (abs(slope) + reach) * test.seconds > within:
            return float("nan")
        # What came last is nearest to where it settles; the mean of the later half keeps most of the noise out.
        later = values[count // 2:]
        return sum(later) / len(later)
