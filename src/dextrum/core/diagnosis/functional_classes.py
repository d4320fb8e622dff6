"""Rows that break the same functions with the same chances are one class to all evidence but readings and looks.

So what two faults together do to symptoms, draw and checks is computed once per pair of classes, not of rows.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

HEALTHY = 0
"""The class that breaks nothing; always there."""


@dataclass(frozen=True)
class FunctionalClasses:
    """of_row: (R,) class of each row. broken: (K, functions), that of class 0 all zero. pair_broken: (Q, functions) of
    every pair of classes by noisy-OR, and pair_place: (K, K) its place in Q."""

    of_row: np.ndarray
    broken: np.ndarray
    pair_broken: np.ndarray
    pair_place: np.ndarray


def functional_classes(broken: np.ndarray) -> FunctionalClasses:
    """From what each row breaks, (R, functions)."""
    with_healthy = np.vstack([np.zeros((1, broken.shape[1])), broken])
    distinct, place = np.unique(with_healthy, axis=0, return_inverse=True)
    place = place.ravel()
    # The healthy class first: all zeros sort first already, since chances are not negative.
    assert not distinct[HEALTHY].any()
    first, second = np.triu_indices(len(distinct))
    pair_place = np.zeros((len(distinct), len(distinct)), dtype=np.int64)
    pair_place[first, second] = pair_place[second, first] = np.arange(len(first))
    return FunctionalClasses(place[1:], distinct, both_broken(distinct[first], distinct[second]), pair_place)


def both_broken(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Chance that either breaks each function, (N, functions)."""
    return np.asarray(1.0 - (1.0 - one) * (1.0 - other))
