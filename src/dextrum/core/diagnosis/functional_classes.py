"""What faults break once it is decided: rows that break the same are one class to symptoms, draw and checks.

A fault breaks what it may break, or it doesn't, and stays so: every row has states, each with its chance. What two
faults together do is computed once per pair of classes, not of rows.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.assumptions.breaking import FEED_SPARED
from dextrum.core.diagnosis.functions import Spared
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW, SOMETHING_ELSE_ROW

HEALTHY = 0
"""The class that breaks nothing, of the row with nothing wrong."""


@dataclass(frozen=True)
class RowStates:
    """weight: (R, S), chance of each state of each row, 0 for those it doesn't have. broken: (S, R, functions), what is
    broken in it."""

    weight: np.ndarray
    broken: np.ndarray


def row_states(broken: np.ndarray, spared: Spared | None = None, feed_spared: float = FEED_SPARED) -> RowStates:
    """From the chance that each row breaks each function, (R, functions). feed_spared: how often a fault goes
    each of the `spared` ways.

    One draw decides for a fault: what it breaks more often is broken wherever what it breaks less often is, but that a
    rail may be spared. 'Something else' is no one fault, and stays a chance for each function.
    """
    weights: list[list[float]] = []
    states: list[list[np.ndarray]] = []
    for row, chances in enumerate(broken):
        if row == SOMETHING_ELSE_ROW:
            weights.append([1.0])
            states.append([chances])
            continue
        levels = sorted({chance for chance in chances.tolist() if chance > 0.0})
        steps = np.diff([0.0, *levels]).tolist()
        weights.append([*steps, 1.0 - sum(steps)] if levels and levels[-1] < 1.0 else steps or [1.0])
        states.append([*((chances >= level).astype(float) for level in levels), np.zeros(len(chances))])
        if spared is not None and (ways := [way for way in range(len(spared.broken)) if spared.broken[way, row].any()]):
            shares = [feed_spared * float(chances.max()) * float(spared.share[way, row]) for way in ways]
            kept = len(weights[-1])
            weights[-1] = [*(w * (1.0 - sum(shares)) for w in weights[-1]), *shares]
            states[-1] = [*states[-1][:kept], *((spared.broken[way, row] > 0.0).astype(float) for way in ways)]
    most = max(len(w) for w in weights)
    weight = np.zeros((len(broken), most))
    found = np.zeros((most, *broken.shape))
    for row, (own, of) in enumerate(zip(weights, states, strict=True)):
        weight[row, :len(own)] = own
        for k in range(most):
            found[k, row] = of[min(k, len(own) - 1)]
    return RowStates(weight, found)


@dataclass(frozen=True)
class FunctionalClasses:
    """of_state: (R, S) class of each state of each row. alike: (R,), rows with the same number have the same states;
    first_alike: (A,), the first row of each number. broken: (K, functions), class 0 that of a board with nothing wrong.
    pair_broken: (Q, functions) of every pair of classes, and pair_place: (K, K) its place in Q."""

    of_state: np.ndarray
    alike: np.ndarray
    first_alike: np.ndarray
    broken: np.ndarray
    pair_broken: np.ndarray
    pair_place: np.ndarray


def functional_classes(states: RowStates) -> FunctionalClasses:
    """All that differ, the healthy one first. With parts off the board, it breaks what needs them."""
    count, rows = len(states.broken), len(states.weight)
    distinct, place = np.unique(states.broken.reshape(count * rows, -1), axis=0, return_inverse=True)
    place = place.reshape(count, rows)
    healthy = int(place[0, NOTHING_ROW])
    order = np.concatenate([[healthy], np.delete(np.arange(len(distinct)), healthy)])
    distinct = distinct[order]
    of_state = np.argsort(order)[place].T
    _, first_alike, alike = np.unique(np.hstack([of_state, states.weight]), axis=0, return_index=True,
                                      return_inverse=True)
    first, second = np.triu_indices(len(distinct))
    pair_place = np.zeros((len(distinct), len(distinct)), dtype=np.int64)
    pair_place[first, second] = pair_place[second, first] = np.arange(len(first))
    return FunctionalClasses(of_state, alike.ravel(), first_alike, distinct,
                             both_broken(distinct[first], distinct[second]), pair_place)


def both_broken(one: np.ndarray, other: np.ndarray) -> np.ndarray:
    """Chance that either breaks each function, (N, functions)."""
    return np.asarray(1.0 - (1.0 - one) * (1.0 - other))
