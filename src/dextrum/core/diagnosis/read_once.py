"""What points read before the repairs, told again where the board is weighed as the last repair has left it.

Such a reading says whether the pack has the point right: what no state of the board explains makes the pack likelier
wrong, and then the same reading after the repair speaks of no fault. What explained it may have been taken away since,
though. Left out of this, a rail that was shorted twice over was thought to be a mistake of the pack once the first of
two shorts had been mended.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Method
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.likelihood import OnceRead, ReadOnce, reading_log_likelihood
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import FaultSets

MOST_TAKEN = 0.999
"""Chance that what a repair was meant for was there, at most: something may always have been left unthought of."""
MOST_DIGITS = 6
"""To which chances and densities are kept, so that what was reckoned with them is found again."""


@dataclass(frozen=True)
class TakenAway:
    """One repair. epoch: that it began; before: what was wrong until then; mended: rows that it took away, (R,)."""

    epoch: int
    before: FaultSets
    mended: np.ndarray


def read_once(model: DiagnosisModel, read: Mapping[tuple[str, Method], Sequence[tuple[int, float]]],
              repairs: Sequence[TakenAway]) -> ReadOnce:
    """read: numbers by point and method, each with the epoch in which it was read."""
    by_row = [_chances(one.before, one.mended) for one in repairs]
    there = [one.before.chance_of_any(one.mended) for one in repairs]
    found: dict[tuple[str, Method], tuple[OnceRead, ...]] = {}
    for (point, method), values in read.items():
        told = []
        for epoch, value in values:
            since = [k for k, one in enumerate(repairs) if one.epoch > epoch]
            taken = min(sum(there[k] for k in since), MOST_TAKEN)
            density = _density(model, point, method, value) if since else None
            by_taken = 0.0 if density is None else sum(float(by_row[k] @ density) for k in since)
            told.append(OnceRead(value, round(taken, MOST_DIGITS), round(by_taken, MOST_DIGITS)) if density is not None
                        else OnceRead(value))
        found[point, method] = tuple(told)
    return found


def _chances(before: FaultSets, mended: np.ndarray) -> np.ndarray:
    """Chance of each mended row, (R,), a set of several counted for the first of them."""
    found = np.zeros(len(mended))
    chosen = np.append(mended, False)[np.where(before.rows == NO_ROW, len(mended), before.rows)]
    has = chosen.any(axis=1)
    first = np.take_along_axis(before.rows, chosen.argmax(axis=1)[:, None], axis=1)[:, 0]
    np.add.at(found, first[has], before.weight[has])
    return found


def _density(model: DiagnosisModel, point: str, method: Method, value: float) -> np.ndarray | None:
    """Density of a number under each row, (R,); kept."""
    known = model.remembered(("read once", point, method, value),
                             lambda: reading_log_likelihood(model, point, method, value))
    return None if known is None else np.exp(known)
