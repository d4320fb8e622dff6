"""What to set on a bench supply to inject into a shorted rail."""

from __future__ import annotations

import math
from dataclasses import dataclass

MOST_AMPS, LEAST_AMPS = 3.0, 0.05
WANTED_WATTS = 1.0
START_VOLTS, START_SHARE = 0.5, 0.5
"""Where raising begins: below a junction's knee, so that a probe on the wrong point feeds next to nothing."""
LEAST_OHMS, READING_OHMS = 0.3, 1.0


@dataclass(frozen=True)
class InjectionLimits:
    """What to set on the supply, the power in a short of `ohms`, and the volts never to go above. start_volts: where to
    begin, before it is raised to `volts`."""

    volts: float
    amps: float
    ohms: float
    watts: float
    most_volts: float

    @property
    def start_volts(self) -> float:
        return round(min(START_VOLTS, START_SHARE * self.volts), 2)


def injection_limits(nominal_volts: float, ohms: float) -> InjectionLimits:
    """Limits for a rail of `nominal_volts` that measures `ohms` to ground: a watt in the short where the rail's own
    voltage and three amps allow it, and never more than either.

    The meter may show an ohm where there is a tenth of one, so the current is not held lower than what makes a watt
    with all of the rail's voltage: whatever the short, it then takes no more than that.
    """
    ohms = max(ohms, LEAST_OHMS)
    amps = min(MOST_AMPS, nominal_volts / ohms, math.sqrt(WANTED_WATTS / ohms))
    amps = max(amps, min(MOST_AMPS, WANTED_WATTS / nominal_volts), LEAST_AMPS)
    # The meter's last digit is an ohm: the current limit does the limiting, the voltage leaves room for what it hides.
    volts = min(nominal_volts, 1.5 * amps * (ohms + READING_OHMS))
    through = min(amps, volts / ohms)
    return InjectionLimits(round(volts, 2), round(amps, 2), ohms, through * through * ohms, nominal_volts)
