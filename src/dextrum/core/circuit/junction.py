"""One semiconductor junction as a meter sees it: V = n·Vt·ln(1 + I/Is) + I·Rs.

The inverse I(V) in closed form uses the Wright omega function, which neither overflows nor loses digits:
T. C. Banwell and A. Jayakumar, Exact analytical solution for current flow through diode with series
resistance, Electronics Letters 36(4), 2000.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray
from scipy.special import wrightomega

from dextrum.tongue import tr

IDEALITY_TIMES_THERMAL_VOLTS = 1.55 * 0.02535
"""n·Vt in volts: n = 1.55, the thermal voltage at 21 degC."""
SERIES_OHMS = 10.0
TEST_AMPS = 1e-3
"""What a meter drives in diode mode, in amps."""

Array = NDArray[np.float64]


def log_saturation_current(volts_at_test: float) -> float:
    """ln(Is / A) of a junction that drops `volts_at_test` volts at the test current.

    Raises ValueError when the drop is not more than the series resistance alone would make.
    """
    inner = volts_at_test - TEST_AMPS * SERIES_OHMS
    if not (inner > 0):
        raise ValueError(tr("a junction can't drop {volts_at_test} V; expected more than 0.01 V",
                            volts_at_test=volts_at_test))
    ratio = inner / IDEALITY_TIMES_THERMAL_VOLTS
    return math.log(TEST_AMPS) - (ratio + math.log1p(-math.exp(-ratio)))


def junction_volts(amps: Array | float, log_is: Array | float) -> Array:
    """Drop in volts at a current in amps (same shapes, broadcast)."""
    current = np.asarray(amps, dtype=float)
    saturation = np.exp(log_is)
    return np.asarray(
        IDEALITY_TIMES_THERMAL_VOLTS * np.log1p(current / saturation) + current * SERIES_OHMS, dtype=float)


class Junctions(NamedTuple):
    """Many junctions at drops that change. saturation: in amps; at_rest: what omega is asked for at no drop."""

    saturation: Array
    at_rest: Array

    @staticmethod
    def of(log_is: Array) -> Junctions:
        saturation = np.exp(log_is)
        return Junctions(saturation, math.log(SERIES_OHMS / IDEALITY_TIMES_THERMAL_VOLTS) + log_is
                         + saturation * (SERIES_OHMS / IDEALITY_TIMES_THERMAL_VOLTS))

    def amps(self, volts: Array) -> tuple[Array, Array]:
        """Current in amps and its slope in siemens at a drop in volts each (same shapes)."""
        omega = wrightomega(self.at_rest + volts / IDEALITY_TIMES_THERMAL_VOLTS)
        return (IDEALITY_TIMES_THERMAL_VOLTS / SERIES_OHMS * omega - self.saturation,
                omega / (1.0 + omega) / SERIES_OHMS)

    def some(self, which: NDArray[np.bool_]) -> Junctions:
        return Junctions(self.saturation[which], self.at_rest[which])
