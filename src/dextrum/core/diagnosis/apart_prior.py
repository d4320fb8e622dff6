"""How likely two faults that never meet are together before anything is seen: a product, but for a few."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

MOST_MERGED = 4
"""Divisions of the rows into kinds that are kept; a job has another after each repair."""


@dataclass(frozen=True)
class MergedRows:
    """Rows that go together with others alike. kind: (R,), by what they break and by category; where: (K,), the first
    row of each; factor: (K, K), the prior's. cell: (R,), rows of one kind that have the same exceptions; kind_of_cell:
    (C,). first <= second, excess: (X,), pairs of cells whose prior is another than the product, and by what share of
    it; a row is no pair with itself."""

    kind: np.ndarray
    where: np.ndarray
    factor: np.ndarray
    cell: np.ndarray
    kind_of_cell: np.ndarray
    first: np.ndarray
    second: np.ndarray
    excess: np.ndarray


@dataclass(frozen=True)
class ApartPrior:
    """Prior of pairs that never meet, as `constant` times both `share` (R,) times `factor` (C, C) of their `category`
    (R,). over: (R, R), by what factor it is another; 0 where they meet or can't be together. first, second, ratio:
    (X,), first < second, the pairs of which it isn't 1, and that factor. pattern: (R,), rows with the same number are
    another by the same factors with all others."""

    constant: float
    share: np.ndarray
    category: np.ndarray
    factor: np.ndarray
    first: np.ndarray
    second: np.ndarray
    ratio: np.ndarray
    over: np.ndarray
    pattern: np.ndarray

    @cached_property
    def _merged(self) -> dict[bytes, MergedRows]:
        return {}

    def merged(self, kinds: Sequence[np.ndarray]) -> MergedRows:
        """The rows merged by kinds (R,), numbers by what each breaks; the last few are kept."""
        key = b"".join(kind.tobytes() for kind in kinds)
        if key not in self._merged:
            if len(self._merged) >= MOST_MERGED:
                self._merged.clear()
            self._merged[key] = self._merge(kinds)
        return self._merged[key]

    def _merge(self, kinds: Sequence[np.ndarray]) -> MergedRows:
        number = self.category.astype(np.int64)
        for kind in kinds:
            number = number * (int(kind.max(initial=0)) + 1) + kind
        _, where, kind_of = np.unique(number, return_index=True, return_inverse=True)
        kind_of = kind_of.ravel()
        of = self.category[where]
        _, row, cell = np.unique(self.pattern * len(where) + kind_of, return_index=True, return_inverse=True)
        cell = cell.ravel()
        is_first = np.zeros(len(cell), dtype=bool)
        is_first[row] = True
        kept = np.flatnonzero(is_first[self.first] & is_first[self.second])
        with_itself = np.flatnonzero(self.share[row] > 0)
        return MergedRows(kind_of, where, self.factor[np.ix_(of, of)], cell, kind_of[row],
                          np.concatenate([cell[self.first[kept]], with_itself]),
                          np.concatenate([cell[self.second[kept]], with_itself]),
                          np.concatenate([self.ratio[kept] - 1.0, np.full(len(with_itself), -1.0)]))


def apart_prior(log_prior: np.ndarray, share: np.ndarray, category: np.ndarray, factor: np.ndarray) -> ApartPrior:
    """From the whole matrix (R, R), symmetric, -inf where two meet: what the product leaves over are exceptions. The
    constant is such that the product is right for most pairs."""
    with np.errstate(divide="ignore", invalid="ignore"):
        over = np.exp(log_prior) / (np.outer(share, share) * factor[np.ix_(category, category)])
    inside = np.triu(np.outer(share > 0, share > 0), 1)
    there = over[inside & (over > 0)]
    constant = float(np.median(there)) if len(there) else 1.0
    ratio = over / constant
    differs = inside & ~(np.abs(ratio - 1.0) < 1e-9)
    first, second = np.nonzero(differs)
    ratio = np.where(np.isfinite(ratio), ratio, 0.0)
    excess = np.where(differs, ratio - 1.0, 0.0)
    excess += excess.T
    np.fill_diagonal(excess, np.where(share > 0, -1.0, 0.0))
    # Rows of one part can't be together with themselves nor with each other, so they are alike in that as well.
    known: dict[bytes, int] = {}
    pattern = np.array([known.setdefault(row.tobytes(), len(known)) for row in np.round(excess, 12) + 0.0])
    return ApartPrior(constant, share, category, factor, first, second, ratio[first, second], ratio, pattern)
