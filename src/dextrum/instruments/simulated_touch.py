"""One touch of a probe as a meter sees it: it bounces, settles and is noisy, and lets go again."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

BOUNCE_SECONDS = (0.02, 0.25)
SETTLES_SECONDS = (0.02, 0.09)
STARTS_OFF = 0.35
"""How far off, as a share of the value and at least so many tenths of a volt, the reading begins."""
OPEN_WHILE_BOUNCING = 0.6


@dataclass(frozen=True)
class TouchHabits:
    """Seconds, from and to. noise: standard deviation of a settled reading, volts (or a share, for ohms)."""

    bounce: tuple[float, float] = BOUNCE_SECONDS
    settles: tuple[float, float] = SETTLES_SECONDS
    noise: float = 0.0006


class SimulatedTouch:
    """settled: what the meter shows in the end, inf where nothing conducts. began: seconds."""

    def __init__(self, settled: float, began: float, generator: np.random.Generator,
                 habits: TouchHabits = TouchHabits(), relative: bool = False) -> None:
        self.settled = settled
        self.began = began
        self.generator = generator
        self.noise = habits.noise * (max(settled, 0.1) if relative and np.isfinite(settled) else 1.0)
        self.still = began + float(generator.uniform(*habits.bounce))
        self.lag = float(generator.uniform(*habits.settles))
        size = STARTS_OFF * max(settled, 0.3) if np.isfinite(settled) else 0.0
        self.off = float(generator.uniform(-1.0, 1.0)) * size

    def settles_at(self) -> float:
        """When what is left of the start is less than the meter's noise."""
        left = abs(self.off)
        return self.still + (self.lag * float(np.log(left / self.noise)) if left > self.noise else 0.0)

    def bouncing(self, seconds: float) -> bool:
        return seconds < self.still

    def shown(self, seconds: float) -> float:
        """Before rounding; inf for OL."""
        if not np.isfinite(self.settled) or (self.bouncing(seconds)
                                             and self.generator.random() < OPEN_WHILE_BOUNCING):
            return float("inf")
        if self.bouncing(seconds):
            return float(self.settled + abs(self.generator.normal(0.0, 0.2)))
        left = self.off * float(np.exp(-(seconds - self.still) / self.lag))
        return float(max(self.settled + left + self.generator.normal(0.0, self.noise), 0.0))
