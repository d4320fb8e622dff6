"""Plateaus of a trace: optimal partitioning with a penalty that follows from the noise, on volts and amps jointly.

Cost of a plateau is the squared misfit of a straight line in each channel, in units of that channel's noise, so a slow
drift is not cut to pieces. Partitioning with pruning after R. Killick, P. Fearnhead and I. A. Eckley, Optimal detection
of changepoints with a linear computational cost, JASA 107 (2012), over places that a multi-scale step statistic has not
ruled out (a general library does the same over every place, in quadratic time: see docs/architecture.md).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.draw.samples import Samples
from dextrum.tongue import tr

SCREEN = 4.2
"""Step statistic below which no change is looked for; at the penalty a change needs at least 7."""
SCREEN_WIDTHS = (1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024)
PARAMETERS_A_CHANGE = 5.0
"""A place, and level and slope of two channels: the Bayesian information criterion counts each once."""
PENALTY_MARGIN = 1.3
LEAST_NOISE = (0.001, 0.0005)
LOWEST_TENTH, HALF = 0.1777, 0.9539
"""Quantiles of |difference| of two normal values, in units of their spread."""
MOST_REFINED = 1500
REACH = 64
FEW = 24


@dataclass(frozen=True)
class Noise:
    """Spread of the meter's noise and the step in which it shows values, in volts and amps."""

    volts: float
    amps: float
    step_volts: float
    step_amps: float


@dataclass(frozen=True)
class Plateaus:
    """edges: (P + 1,) sample indices. Means, values at both ends of the fitted line, and residual spread: (P, 2) each,
    volts first."""

    edges: np.ndarray
    means: np.ndarray
    first: np.ndarray
    last: np.ndarray
    noise: Noise

    def __len__(self) -> int:
        return len(self.edges) - 1


def _channel_noise(values: np.ndarray, least: float) -> tuple[float, float]:
    if len(values) < 4:
        return max(least, 0.01 * float(np.abs(values).max(initial=0.0))), 0.0
    # A meter shows noise below nothing as nothing: what lies at zero says little about the noise.
    at_zero = values <= 0.0
    apart = np.abs(np.diff(values))
    clear = ~(at_zero[1:] | at_zero[:-1])
    rising = np.sort(apart[clear] if 4 * clear.sum() > len(clear) else apart)
    step = _step(rising)
    spread = float(rising[len(rising) // 10]) / LOWEST_TENTH
    if spread < 1e-9:
        # Rounded, or at zero most of the time: the lowest tenth is none, the middle may tell.
        spread = min(float(rising[len(rising) // 2]) / HALF, 3.0 * step)
    return max(spread, step * 0.42, least), step


def _step(rising: np.ndarray) -> float:
    """The last digit of a meter that rounds: most differences are multiples of it. 0 where there is none."""
    moved = rising[np.searchsorted(rising, 1e-9):]
    if not len(moved):
        return 0.0
    smallest = float(moved[len(moved) // 100])
    multiples = moved / smallest
    return smallest if float(np.mean(np.abs(multiples - np.round(multiples)) < 0.05)) > 0.95 else 0.0


def estimate_noise(samples: Samples) -> Noise:
    """From the lowest tenth of the differences, which jumps and rhythms hardly reach."""
    volts, step_volts = _channel_noise(samples.volts, LEAST_NOISE[0])
    amps, step_amps = _channel_noise(samples.amps, LEAST_NOISE[1])
    return Noise(volts, amps, step_volts, step_amps)


def penalty(count: int) -> float:
    """What a further plateau must save, in squared noise units."""
    return PENALTY_MARGIN * PARAMETERS_A_CHANGE * float(np.log(max(count, 8)))


def _screened(scaled: np.ndarray) -> np.ndarray:
    """Places where a step is not ruled out at some width. scaled: (N, 2) in noise units.

    Wide windows are looked at in strides of a sixteenth of their width; the edges are refined later.
    """
    from scipy.ndimage import maximum_filter1d  # with the first trace: at the start it would keep the advice waiting

    count = len(scaled)
    total = np.vstack([np.zeros((1, 2)), np.cumsum(scaled, axis=0)])
    found = np.zeros(count + 1, dtype=bool)
    for width in SCREEN_WIDTHS:
        if 2 * width > count:
            break
        stride = max(1, width // 16)
        place = np.arange(width, count - width + 1, stride)
        behind, here, ahead = (total[shift::stride][:len(place)] for shift in (0, width, 2 * width))
        step = ahead - 2.0 * here + behind
        statistic = (step * step).sum(axis=1) / (2.0 * width)
        peak = statistic >= maximum_filter1d(statistic, max(3, width // stride | 1))
        found[place[peak & (statistic > SCREEN * SCREEN)]] = True
    found[0] = found[count] = False
    return np.flatnonzero(found)


class _LineCost:
    """Misfit of a straight line between two sample indices, vectorised over the starts or the ends."""

    def __init__(self, scaled: np.ndarray) -> None:
        index = np.arange(len(scaled), dtype=float)[:, None]
        columns = np.hstack([scaled, scaled * index, (scaled * scaled).sum(axis=1, keepdims=True)])
        self.sums = np.vstack([np.zeros((1, 5)), np.cumsum(columns, axis=0)])

    def moments(self, start: np.ndarray | int, end: np.ndarray | int) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Per stretch: totals (K, 2), first moments about its own middle (K, 2), sum of squares (K,)."""
        part = self.sums[end] - self.sums[start]
        total = part[..., :2]
        middle = 0.5 * (np.asarray(start) + end - 1)
        return total, part[..., 2:4] - middle[..., None] * total, part[..., 4]

    def __call__(self, start: np.ndarray | int, end: np.ndarray | int) -> np.ndarray:
        total, leaning, square = self.moments(start, end)
        length = np.asarray(end - start, dtype=float)
        width = np.maximum(length * (length * length - 1.0) / 12.0, 1e-9)
        return np.asarray(np.maximum(square - (total * total).sum(axis=-1) / length
                                     - (leaning * leaning).sum(axis=-1) / width, 0.0))


def _partition(cost: _LineCost, places: np.ndarray, count: int, price: float) -> list[int]:
    """The cheapest partition of [0, count) over the given places: its inner edges.

    Most steps compare a handful of starts, for which plain numbers are quicker than arrays.
    """
    ends = np.concatenate([[0], places, [count]])
    where = ends.tolist()
    sums = cost.sums[ends].tolist()
    best = [-price] + [0.0] * (len(where) - 1)
    came_from = [0] * len(where)
    alive = [0]
    for k in range(1, len(where)):
        if len(alive) > FEW:
            total = (np.array([best[j] for j in alive]) + cost(ends[alive], where[k])).tolist()
        else:
            total = [best[j] + _misfit(sums[j], sums[k], where[j], where[k]) for j in alive]
        least = min(total)
        best[k] = least + price
        came_from[k] = alive[total.index(least)]
        alive = [j for j, value in zip(alive, total, strict=True) if value <= best[k]]
        alive.append(k)
    edges = []
    k = len(where) - 1
    while came_from[k] > 0:
        k = came_from[k]
        edges.append(where[k])
    return edges[::-1]


def _misfit(low: list[float], high: list[float], start: int, end: int) -> float:
    """`_LineCost` for one stretch, from the sums at both of its ends."""
    length = end - start
    middle = 0.5 * (start + end - 1)
    volts, amps = high[0] - low[0], high[1] - low[1]
    lean_volts, lean_amps = high[2] - low[2] - middle * volts, high[3] - low[3] - middle * amps
    width = max(length * (length * length - 1.0) / 12.0, 1e-9)
    return max(high[4] - low[4] - (volts * volts + amps * amps) / length
               - (lean_volts * lean_volts + lean_amps * lean_amps) / width, 0.0)


def _refined(cost: _LineCost, edges: list[int], count: int) -> list[int]:
    """Each edge moved to the best place within reach, its neighbours held."""
    bounds = [0, *edges, count]
    for k in range(1, len(bounds) - 1):
        low = max(bounds[k - 1] + 1, bounds[k] - REACH)
        high = min(bounds[k + 1] - 1, bounds[k] + REACH)
        place = np.arange(low, high + 1)
        if len(place) > 1:
            bounds[k] = int(place[np.argmin(cost(bounds[k - 1], place) + cost(place, bounds[k + 1]))])
    return bounds[1:-1]


def find_plateaus(samples: Samples) -> Plateaus:
    """The optimal plateaus of a trace; one for a trace of fewer than four samples. Raises ValueError for none."""
    count = len(samples)
    if count == 0:
        raise ValueError(tr("the trace is empty"))
    noise = estimate_noise(samples)
    raw = np.column_stack([samples.volts, samples.amps])
    middle = np.median(raw, axis=0)
    scaled = (raw - middle) / np.array([noise.volts, noise.amps])
    cost = _LineCost(scaled)
    edges: list[int] = []
    if count >= 4:
        edges = _partition(cost, _screened(scaled), count, penalty(count))
        if len(edges) <= MOST_REFINED:
            edges = _refined(cost, edges, count)
    bounds = np.array([0, *edges, count])
    start, end = bounds[:-1], bounds[1:]
    length = (end - start).astype(float)[:, None]
    total, leaning, _ = cost.moments(start, end)
    means = total / length
    slope = np.where(length > 2, leaning / np.maximum(length * (length * length - 1) / 12.0, 1e-9), 0.0)
    unit = np.array([noise.volts, noise.amps])
    reach = slope * (length - 1) / 2
    return Plateaus(bounds, means * unit + middle, (means - reach) * unit + middle,
                    (means + reach) * unit + middle, noise)
