"""How one meter reads against the shop's reference meter: an affine law per method, fitted robustly.

It begins with Huber's M-estimator by iteratively reweighted least squares (P. J. Huber, Robust Statistics (1981),
section 7.8), leaves out what is gross by it, and ends with least squares on the rest. Residuals include both meters'
noise; the readings spread over hundreds of millivolts, so errors in the regressor move the gain by less than a part in
ten thousand.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from dextrum.core.board import Method
from dextrum.core.reference.columns import columns_of, cubes_of
from dextrum.core.reference.known_good import KnownGoodReading

if TYPE_CHECKING:
    import numpy as np

FEWEST_PAIRS = 8
HUBER = 1.345
GROSS, CLEAN = 5.0, 4.0
MAD_TO_SPREAD = 1.4826
LEAST_VOLTS, LEAST_SHARE_OHMS = 5e-4, 0.01
LEAST_DRIFT_OHMS = 0.05
"""Less than a tenth of an ohm, as which it would be told, is no drift of a meter, however surely it is seen."""
AWAY_FROM_ZERO_VOLTS = 0.05
"""Readings below this say nothing about gain or offset: a meter shows ground as ground."""


@dataclass(frozen=True)
class MeterCorrection:
    """reference = gain * reading + offset, in volts or ohms. covariance: of gain and offset, row by row; spread: of
    the residuals, one reading; pairs: how many readings both meters have."""

    meter: str
    method: Method
    gain: float
    offset: float
    covariance: tuple[float, float, float]
    spread: float
    pairs: int

    def to_reference(self, value: float) -> float:
        """What the reference meter would read. OL and ground stay what they are."""
        if value == float("inf") or (self.method.is_diode and value < AWAY_FROM_ZERO_VOLTS):
            return value
        return max(self.gain * value + self.offset, 0.0)

    def from_reference(self, value: float) -> float:
        """What this meter would read where the reference meter reads `value`."""
        if value == float("inf") or (self.method.is_diode and value < AWAY_FROM_ZERO_VOLTS):
            return value
        return max((value - self.offset) / self.gain, 0.0)

    def uncertainty(self, value: float) -> float:
        """Spread of the corrected value that the fit leaves, in volts or ohms."""
        gain, both, offset = self.covariance
        return math.sqrt(max(gain * value * value + 2.0 * both * value + offset, 0.0))

    @property
    def gain_spread(self) -> float:
        return math.sqrt(self.covariance[0])

    @property
    def offset_spread(self) -> float:
        return math.sqrt(self.covariance[2])


def fit_meter(own: np.ndarray, reference: np.ndarray, meter: str, method: Method) -> MeterCorrection | None:
    """From paired readings (N,) of both meters; None where there are too few to tell gain from offset."""
    import numpy as np

    use = np.isfinite(own) & np.isfinite(reference)
    if method.is_diode:
        use &= (own > AWAY_FROM_ZERO_VOLTS) & (reference > AWAY_FROM_ZERO_VOLTS)
    x, y = own[use], reference[use]
    if len(x) < FEWEST_PAIRS or float(np.ptp(x)) < (0.05 if method.is_diode else 0.5):
        return None
    # Ohms scatter in proportion, volts do not.
    scale = np.ones(len(x)) if method.is_diode else LEAST_SHARE_OHMS * x + 0.02
    design = np.column_stack([x, np.ones(len(x))]) / scale[:, None]
    target = y / scale
    least = LEAST_VOLTS if method.is_diode else 1.0
    weight = np.ones(len(x))
    beta, spread = np.array([1.0, 0.0]), least
    for _ in range(50):
        weighted = design * weight[:, None]
        new = np.linalg.solve(design.T @ weighted, weighted.T @ target)
        residual = target - design @ new
        spread = max(MAD_TO_SPREAD * float(np.median(np.abs(residual - np.median(residual)))), 0.2 * least)
        size = np.maximum(np.abs(residual) / spread, 1e-12)
        weight = np.minimum(1.0, HUBER / size)
        done = bool(np.max(np.abs(new - beta)) < 1e-10)
        beta = new
        if done:
            break
    # A slip of the probe lies far out in the regressor too, where a bounded weight alone still lets it lean on the
    # line: what is gross is left out, and the rest is plain least squares.
    covariance = np.zeros((2, 2))
    for reach in (GROSS, GROSS, CLEAN):
        kept = np.abs(target - design @ beta) <= reach * spread
        if int(kept.sum()) < FEWEST_PAIRS:
            return None
        inside, aim = design[kept], target[kept]
        inverse = np.linalg.inv(inside.T @ inside)
        beta = inverse @ inside.T @ aim
        misfit = aim - inside @ beta
        spread = max(float(np.sqrt(misfit @ misfit / (len(aim) - 2))), 0.2 * least)
        covariance = inverse * spread ** 2
    return MeterCorrection(meter, method, float(beta[0]), float(beta[1]),
                           (float(covariance[0, 0]), float(covariance[0, 1]), float(covariance[1, 1])),
                           spread, int(kept.sum()))


def meter_corrections(cubes: Mapping[Method, np.ndarray], meters: Sequence[str],
                      reference: str) -> dict[tuple[str, Method], MeterCorrection]:
    """Of every meter that shares enough points with the reference meter, by meter and method. cubes: values by meter,
    board and point, (M, B, P), nan where there is none."""
    found: dict[tuple[str, Method], MeterCorrection] = {}
    if reference not in meters:
        return found
    for method, cube in cubes.items():
        other = cube[meters.index(reference)].ravel()
        for place, meter in enumerate(meters):
            correction = fit_meter(cube[place].ravel(), other, meter, method) if meter != reference else None
            if correction is not None:
                found[meter, method] = correction
    return found


@dataclass(frozen=True)
class MeterDrift:
    """Newest comparison against the older ones: shift at half a volt (or in ohms at one ohm), in own units, with its
    spread; since: the day from which on it reads so."""

    meter: str
    method: Method
    shift: float
    spread: float
    since: str

    @property
    def is_clear(self) -> bool:
        """Beyond three spreads, and large enough to be told."""
        least = LEAST_VOLTS if self.method.is_diode else LEAST_DRIFT_OHMS
        return abs(self.shift) > max(3.0 * self.spread, least)


def meter_drift(readings: Sequence[KnownGoodReading], meter: str, reference: str, method: Method) -> MeterDrift | None:
    """Whether the meter's newest day of comparison disagrees with the days before; None with fewer than two days."""
    of_meter = [r for r in readings if r.method is method and r.meter in (meter, reference)]
    if method is Method.CAPACITANCE:  # compared as ohms at a kilohertz, of which no size is the usual one
        return None
    days = sorted({r.taken_on for r in of_meter if r.meter == meter and r.taken_on})
    if len(days) < 2:
        return None
    late = {r.board_serial for r in of_meter if r.meter == meter and r.taken_on == days[-1]}
    fits = []
    for is_late in (False, True):
        columns = columns_of([r for r in of_meter if (r.board_serial in late) == is_late])
        if meter not in columns.meters or reference not in columns.meters:
            return None
        cube = cubes_of(columns)[method]
        fits.append(fit_meter(cube[columns.meters.index(meter)].ravel(), cube[columns.meters.index(reference)].ravel(),
                              meter, method))
    if fits[0] is None or fits[1] is None:
        return None
    at = 0.5 if method.is_diode else 1.0
    shift = fits[0].to_reference(at) - fits[1].to_reference(at)
    return MeterDrift(meter, method, shift, math.hypot(fits[0].uncertainty(at), fits[1].uncertainty(at)), days[-1])
