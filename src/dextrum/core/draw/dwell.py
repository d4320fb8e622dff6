"""How long a healthy unit stays in a state: lognormal from its beginning, or what is left of it when joined midway."""

from __future__ import annotations

import numpy as np
from scipy.special import ndtr

ENDLESS_SECONDS = 6e5
"""Middle stay in a state that has no end of its own: the trace is cut, or somebody pulls the plug."""


def stay_chance(seconds: np.ndarray | float, dwell_seconds: np.ndarray | float, spread: np.ndarray | float,
                midway: bool = False) -> np.ndarray:
    """Chance of staying at least so long; arrays broadcast. dwell_seconds inf: endless.

    midway: the state was joined at an even chance anywhere in its stay D, so what is left is U D and
    P(U D > x) = P(D > x) - x E[1/D; D > x], in closed form for a lognormal D.
    """
    seconds, dwell, spread = (np.asarray(a, dtype=float) for a in (seconds, dwell_seconds, spread))
    endless = np.isinf(dwell)
    middle = np.log(np.where(endless, 1.0, dwell))
    x = np.maximum(seconds, 1e-9)
    z = (middle - np.log(x)) / spread
    timed = ndtr(z)
    if midway:
        timed = timed - x * np.exp(-middle + spread ** 2 / 2) * ndtr(z - spread)
    return np.asarray(np.where(endless, np.exp(-x / ENDLESS_SECONDS), np.maximum(timed, 0.0)))
