"""Rows that break the same functions with the same chances are one class to all evidence but readings and looks.

So what two faults together do to symptoms, draw and checks is computed once per pair of classes, not of rows.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.diagnosis.hypotheses import NOTHING_ROW

HEALTHY = 0
"""The class that breaks nothing, of the row with nothing wrong."""


@dataclass(frozen=True)
class FunctionalClasses:
    """of_row: (R,) class of each row. broken: (K, functions), class 0 that of a board with nothing wrong. pair_broken:
    (Q, functions) of every pair of classes by noisy-OR, and pair_place: (K, K) its place in Q."""

    of_row: np.ndarray
    broken: np.ndarray
    pair_broken: np.ndarray
    pair_place: np.ndarray


def functional_classes(broken: np.ndarray) -> FunctionalClasses:
    """From what each row breaks, (R, functions)."""
    distinct, place = np.unique(broken, axis=0, return_inverse=True)
    place = place.ravel()
    # The healthy class first. With parts off the board, it breaks what needs them.
    healthy = int(place[NOTHING_ROW])
    order = np.concatenate([[healthy], np.delete(np.arange(len(distinct)), healthy)])
    distinct = distinct[order]
    place = np.argsort(order)[place]
    first, second = np.triu_indices(len(distinct))
    pair_place = np.zeros((len(distinct), len(distinct)), dtype=np.int64)
    pair_place[first, second] = pair_place[second, first] = np.arange(len(first))
    return FunctionalClasses(place, distinct, both_broken(distinct[first], distinct[second]), pair_place)


def both_broken(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Chance that either breaks each function, (N, functions)."""
    return np.asarray(1.0 - (1.0 - one) * (1.0 - other))
