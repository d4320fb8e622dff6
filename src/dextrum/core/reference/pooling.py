"""Spread pooled over points of the same kind, by empirical Bayes.

G. K. Smyth, Linear models and empirical Bayes methods for assessing differential expression in microarray
experiments, Statistical Applications in Genetics and Molecular Biology 3(1), 2004, section 6.2: the prior
variance s0² and its freedom d0 are fitted to the logarithms of the sample variances.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import numpy as np


FEWEST_POINTS = 4
FREEDOM_BOUNDS = (2.0, 60.0)


@dataclass(frozen=True)
class PooledSpread:
    """Prior of the variance of one kind of point: s0² and its degrees of freedom."""

    variance: float
    freedom: float


def inverse_trigamma(value: float) -> float:
    """x with trigamma(x) = value, for value > 0 (Smyth 2004, appendix)."""
    import numpy as np
    from scipy.special import polygamma

    if value > 1e7:
        return float(1.0 / np.sqrt(value))
    x = 0.5 + 1.0 / value
    for _ in range(50):
        tri = float(polygamma(1, x))
        step = tri * (1.0 - tri / value) / float(polygamma(2, x))
        x += step
        if abs(step / x) < 1e-10:
            break
    return float(x)


def pool(variances: np.ndarray, freedoms: np.ndarray, fallback: PooledSpread) -> PooledSpread:
    """Prior from sample variances (K,) with freedoms (K,); the fallback where too few points have any."""
    import numpy as np

    use = (freedoms >= 1) & (variances > 0)
    if int(use.sum()) < FEWEST_POINTS:
        return fallback
    from scipy.special import digamma, polygamma

    half = freedoms[use] / 2.0
    e = np.log(variances[use]) - digamma(half) + np.log(half)
    excess = float(np.var(e, ddof=1) - np.mean(polygamma(1, half)))
    low, high = FREEDOM_BOUNDS
    freedom = high if excess <= 0 else float(np.clip(2.0 * inverse_trigamma(excess), low, high))
    log_variance = float(np.mean(e) + digamma(freedom / 2.0) - np.log(freedom / 2.0))
    return PooledSpread(float(np.exp(log_variance)), freedom)


SAME_CHIP = 0.4
"""How far deviations of one board hang together over its points: pins of one chip are off the same way."""


def as_known_from(prior: PooledSpread, points: int, boards: float, fallback: PooledSpread) -> tuple[
        PooledSpread, float]:
    """A kind's spread, the usual one weighed in; and the freedom that so few boards can give it, all points together.

    Deviations that hang together over the points of a board make many points worth few: the variance of a mean square
    of n values with correlation r is that of n / (1 + (n - 1) r²) free ones. The freedom of the prior itself says how
    alike the points of the kind are. A point's own boards stand in the prior already, so what prior and point give
    together is never more than the second number.
    """
    worth = points / (1.0 + max(points - 1, 0) * SAME_CHIP ** 2)
    freedom = max(boards - 1.0, 0.0) * worth
    usual = against_own(fallback, boards).freedom
    known = usual + freedom
    return PooledSpread((usual * fallback.variance + freedom * prior.variance) / known, prior.freedom), known


SHOPS_DIFFER = 1.5
"""Standard deviation of ln of a kind's variance from shop to shop: two shops in three lie within a factor of 4.5,
hence of 2.1 in the spread itself.
Boards of one maker from one year spread less than what comes in over the years, and how boards are chosen as good
differs."""


ONE_BOARD_FREEDOM, FADES = 12.0, 1.25
"""As far as a usual spread is trusted beside one board of the shop's, so that one is of use; and the power of the
number of boards with which this fades, since two can't refute it and five can."""


def against_own(stated: PooledSpread, boards: float) -> PooledSpread:
    """What was stated of a kind's spread elsewhere, as it weighs beside so many boards of a shop's own: no more than
    shops differ, once there are enough of them.

    On the logarithm of the variance its own uncertainty is 2 / freedom, and SHOPS_DIFFER² is added.
    """
    differing = 2.0 / (SHOPS_DIFFER ** 2 + 2.0 / stated.freedom)
    trusted = max(differing, ONE_BOARD_FREEDOM / max(boards, 1.0) ** FADES)
    return PooledSpread(stated.variance, min(stated.freedom, trusted))


def shrink(variance: float, freedom: float, prior: PooledSpread) -> tuple[float, float]:
    """Posterior variance and its freedom: the sample's and the kind's, weighted by their freedoms."""
    total = prior.freedom + freedom
    return (prior.freedom * prior.variance + freedom * variance) / total, total
