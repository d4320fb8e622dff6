"""What to set on a bench supply to inject into a shorted rail."""

from __future__ import annotations

import math
from dataclasses import dataclass

MOST_AMPS, LEAST_AMPS = 3.0, 0.05
WANTED_WATTS = 1.0
START_VOLTS, START_SHARE = 0.5, 0.5
"""Where raising begins: below a junction's knee, so that a probe on the wrong point feeds next to nothing."""
LEAST_OHMS, READING_OHMS = 0.3, 1.0
PIN_AMPS = 0.1
"""Into a pin, beside a rail that is fed: what chips are tested with against latching up (JEDEC JESD78)."""
FED_AMPS = 0.5
"""For the rail that is fed meanwhile: enough for what hangs on a rail of logic, too little to heat much if it is
shorted itself and nobody has read it."""
SAME_SETTING = 1.5
"""Two settings whose volts or watts differ by less than this factor heat a short alike."""


@dataclass(frozen=True)
class InjectionLimits:
    """What to set on the supply, the power in a short of `ohms`, and the volts never to go above. fed: the rail that is
    held at its own `most_volts` meanwhile, empty for none. held: the amps are lowered as the volts are raised, so that
    volts times amps stays at `watts` from `amps` up to `volts`. start_volts: where to begin."""

    volts: float
    amps: float
    ohms: float
    watts: float
    most_volts: float
    fed: str = ""
    held: bool = False

    @property
    def never_more(self) -> bool:
        """Whether no short at all can get more than `watts` at these limits."""
        return self.held or self.volts * self.amps <= self.watts * 1.01

    @property
    def start_volts(self) -> float:
        if self.held:
            return round(min(self.volts, self.watts / self.amps), 2)
        return round(min(START_VOLTS, START_SHARE * self.volts), 2)

    @property
    def end_amps(self) -> float:
        """Amps once the volts are all the way up."""
        return round(min(self.amps, self.watts / self.volts), 2) if self.held else self.amps


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


def limits_held_to_a_watt(nominal_volts: float) -> InjectionLimits:
    """Limits for a rail whose short nobody can measure well: from three amps at so few volts that they make a watt,
    up to the rail's own volts with the amps lowered along, so that no pair on the way can ever make more.

    A short of R ohms takes the whole watt where the volts are the square root of R, so every short from 0.11 ohm to the
    square of the rail's volts gets it at one of these pairs. A pair that stays as it is leaves half an ohm with a
    quarter of it, be it made for milliohms or for ohms. Long leads drop some of the voltage, by which less flows and
    nothing is harmed. A rail of less than a third of a volt gets what three amps make of it.
    """
    watts = min(WANTED_WATTS, MOST_AMPS * nominal_volts)
    return InjectionLimits(nominal_volts, MOST_AMPS, nominal_volts ** 2 / watts, watts, nominal_volts, held=True)


def limits_on_pulled_up(rail: str, nominal_volts: float, ohms: float) -> InjectionLimits:
    """Limits for a signal line that idles at a rail, while that rail is held at its own voltage: up to there no
    protection diode conducts and no chip is fed by its pin, so that a short of some tens to hundreds of ohms, which
    0.45 V leaves cold, gets what a camera sees."""
    through = min(PIN_AMPS, nominal_volts / max(ohms, LEAST_OHMS))
    return InjectionLimits(nominal_volts, PIN_AMPS, ohms, through * through * ohms, nominal_volts, rail)


def same_setting(volts: float, amps: float, limits: InjectionLimits) -> bool:
    """Whether an injection at these volts and amps was one within these limits. Where these are held to their watts, so
    was one that ended where the short took those."""
    alike = limits.volts / SAME_SETTING < volts < limits.volts * SAME_SETTING
    return alike or (limits.held and limits.watts / SAME_SETTING < volts * amps < limits.watts * SAME_SETTING)
