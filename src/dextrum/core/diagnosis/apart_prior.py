"""How likely two faults that never meet are together before anything is seen: a product, but for a few."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np


@dataclass(frozen=True)
class ApartPrior:
    """Prior of pairs that never meet, as `constant` times both `share` (R,) times `factor` (C, C) of their `category`
    (R,). over: (R, R), by what factor it is another; 0 where they meet or can't be together. first, second, ratio:
    (X,), first < second, the pairs of which it isn't 1, and that factor."""

    constant: float
    share: np.ndarray
    category: np.ndarray
    factor: np.ndarray
    first: np.ndarray
    second: np.ndarray
    ratio: np.ndarray
    over: np.ndarray


def apart_prior(log_prior: np.ndarray, share: np.ndarray, category: np.ndarray, factor: np.ndarray) -> ApartPrior:
    """From the whole matrix (R, R), symmetric, -inf where two meet: what the product leaves over are exceptions. The
    constant is such that the product is right for most pairs."""
    with np.errstate(divide="ignore", invalid="ignore"):
        over = np.exp(log_prior) / (np.outer(share, share) * factor[np.ix_(category, category)])
    inside = np.triu(np.outer(share > 0, share > 0), 1)
    there = over[inside & (over > 0)]
    constant = float(np.median(there)) if len(there) else 1.0
    ratio = over / constant
    first, second = np.nonzero(inside & ~(np.abs(ratio - 1.0) < 1e-9))
    return ApartPrior(constant, share, category, factor, first, second, ratio[first, second],
                      np.where(np.isfinite(ratio), ratio, 0.0))
