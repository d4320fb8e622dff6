"""Student's t, whose tails are heavier than a normal's, for what few good boards tell of how far boards scatter."""

from __future__ import annotations

import numpy as np
from scipy.special import gammaln


def log_student(value: float, means: np.ndarray | float, spreads: np.ndarray | float, freedom: float) -> np.ndarray:
    """ln density at a value round each mean, with each spread (same shapes, broadcast)."""
    z = (value - means) / spreads
    constant = gammaln((freedom + 1) / 2) - gammaln(freedom / 2) - 0.5 * np.log(freedom * np.pi)
    return np.asarray(constant - np.log(spreads) - (freedom + 1) / 2 * np.log1p(z * z / freedom))
