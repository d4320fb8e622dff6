"""The meter and the hand of this world: what a touch shows of what is there."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Method
from dextrum.world.numbers import Hands, Meters, World

OPEN_OHMS = 2e7
FROM_ZERO_VOLTS = 0.05
"""Below it a meter's offset doesn't show."""
METER = "M1"
"""The name that the pack's known-good boards were read under: a technician takes this one for the same."""


@dataclass
class WorldMeter:
    """One meter in one hand; slips come in bursts."""

    name: str
    gain: float
    offset_volts: float
    hands: Hands
    numbers: Meters
    slipped: bool = False

    def minutes_to_touch(self, contacts: int, elsewhere: int, in_farads: int = 0) -> float:
        """Of touching so many contacts of the port in a row, and so many points elsewhere on the board, once each, so
        many of them for their capacitance."""
        return (contacts * self.hands.contact_minutes + elsewhere * self.hands.touch_minutes
                + in_farads * self.hands.farads_minutes)

    def shown(self, true: float, method: Method, generator: np.random.Generator) -> float:
        """Volts, ohms or nanofarads as the display has them, inf for OL."""
        self.slipped = bool(generator.random() < (self.hands.again if self.slipped else self.hands.slip))
        if self.slipped:
            return round(self.numbers.stray, 2) if method is Method.CAPACITANCE else float("inf")
        if method is Method.CAPACITANCE:
            return true if np.isinf(true) else float(
                f"{true * (1.0 + float(generator.normal(0.0, self.numbers.farads_noise))):.3g}")
        if method.is_diode:
            volts = true * self.gain + self.offset_volts * (true > FROM_ZERO_VOLTS)
            if generator.random() < self.hands.poor and np.isfinite(volts):
                volts += float(generator.exponential(self.hands.poor_volts))
            volts += float(generator.normal(0.0, self.numbers.noise))
            return float("inf") if volts > self.numbers.compliance else round(max(0.0, volts), 3)
        if true > OPEN_OHMS:
            return float("inf")
        ohms = true * (1.0 + float(generator.normal(0.0, self.numbers.ohms_noise))) + self.numbers.lead
        return round(ohms, 2) if ohms < 100 else float(f"{ohms:.4g}")


def drawn_meter(world: World, generator: np.random.Generator) -> WorldMeter:
    return WorldMeter(METER, 1.0 + world.meters.gain * float(generator.normal()),
                      world.meters.offset * float(generator.normal()), world.hands, world.meters)
