"""What is left after repairs: each mended fault is gone, or is there still, as far as what was seen since tells."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW, distinct_sets

if TYPE_CHECKING:
    from dextrum.core.diagnosis.posterior import Posterior


@dataclass(frozen=True)
class Remains:
    """rows: (K, 3) what is left, likeliest first, NO_ROW where there is less, and weight: (K,), adding up to 1. source,
    kept, place, share: (X,), (X, 3), (X,), (X,), one for each way the repairs of a set of the posterior may have gone:
    which set, which of its members are there still, which of `rows` that leaves, and its part of all weight."""

    rows: np.ndarray
    weight: np.ndarray
    source: np.ndarray
    kept: np.ndarray
    place: np.ndarray
    share: np.ndarray


def what_remains(posterior: Posterior) -> Remains:
    """Sets with what repairs took away left out of them; a set of which nothing is left is 'nothing'. Each set is split
    among the ways its repairs may have gone (`ways_of_repairs`)."""
    sets, weight, ways = posterior.sets.rows, posterior.sets.weight, posterior.ways
    every = np.arange(len(sets))
    member: np.ndarray = np.not_equal(sets, NO_ROW)
    if ways is None:
        return Remains(-np.sort(-sets, axis=1), weight, every, member, every, weight)
    share = np.exp(ways.log_share) * weight[ways.source]
    rows = -np.sort(-np.where(ways.kept, sets[ways.source], NO_ROW), axis=1)
    rows[(rows == NO_ROW).all(axis=1), 0] = NOTHING_ROW
    first, place = distinct_sets(rows, posterior.hypotheses.count)
    merged = np.bincount(place, share, len(first))
    order = np.argsort(-merged, kind="stable")
    return Remains(rows[first[order]], merged[order], ways.source, ways.kept, np.argsort(order)[place], share)
