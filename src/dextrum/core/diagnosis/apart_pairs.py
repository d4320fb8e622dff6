"""Pairs of faults that never meet in the circuit: what both read adds up, so all of them are weighed at once.

The weight of such a pair is a product: of both priors, of what was seen under each, and of what functions say of two
kinds of fault beyond that. Sums over one of the two are therefore sums by kind, corrected for the few pairs whose prior
is no product. Nothing is left out, and only the likeliest pairs are ever written down.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from dextrum.core.diagnosis.apart_prior import ApartPrior, MergedRows
from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW
from dextrum.core.diagnosis.witness import SeenWitness

MOST_EXPONENT = 600.0
"""How far the best explained row may be above a good board before all weights are scaled down."""
CANCELLED = 1e-7
"""Share of a sum that must be left once what isn't there has been taken from it; below, it is summed up directly."""
CANDIDATES = (1, 4, 16, 64)
"""Pairs looked for at first for each that is listed: more where too many of them can't be together."""
JUST_BELOW = 1.0 - 1e-9
"""Of a level, so that no pair that reaches it is lost by rounding."""
RAISED = 1.0 + 1e-6
Tables = Sequence[tuple[np.ndarray, np.ndarray]]


@dataclass(frozen=True)
class ApartPairs:
    """Weights are of exp(top). sums: (R,), of all pairs of each row; total: of every pair once. first, second: (K,)
    rows of those that weigh more than asked, weight: (K,)."""

    sums: np.ndarray
    total: float
    first: np.ndarray
    second: np.ndarray
    weight: np.ndarray
    top: float


@dataclass(frozen=True)
class _Product:
    """own: (R,), each row's part of a pair's weight; kind: (R,); beyond: (K, K), what two kinds are beyond that."""

    own: np.ndarray
    kind: np.ndarray
    beyond: np.ndarray
    prior: ApartPrior

    def weights(self, first: np.ndarray, second: np.ndarray, raised: bool = True) -> np.ndarray:
        """Of pairs of rows, broadcast against each other, without what counts once. raised: also where the prior is
        more than the product; else 0 there."""
        over = self.prior.over[first, second]
        if not raised:
            over = np.where(over <= RAISED, over, 0.0)
        return np.asarray(self.own[first] * self.own[second] * self.beyond[self.kind[first], self.kind[second]] * over)


def _beyond(tables: Tables, merged: MergedRows) -> np.ndarray:
    """What two kinds of rows weigh beyond each by itself, (K, K)."""
    found = merged.factor
    for table, kind in tables:
        good, of = kind[NOTHING_ROW], kind[merged.where]
        found = found * np.exp(table - table[:, [good]] - table[[good], :] + table[good, good])[np.ix_(of, of)]
    return found


def _shown_once(evidence: Evidence, prior: ApartPrior) -> tuple[np.ndarray, np.ndarray]:
    """Rows of which something was seen that counts once however many faults show it, (U,), and the factor on each pair
    of them, (U, U)."""
    parts = [np.where(w.gone, 0.0, part) for w in evidence.witnesses if isinstance(w, SeenWitness) for part in w.shared]
    shown = np.array([part for part in parts if part.any()]).reshape(-1, len(prior.share))
    rows = np.flatnonzero((shown != 0.0).any(axis=0) & (prior.share > 0))
    log_factor = np.zeros((len(rows), len(rows)))
    for part in shown[:, rows]:
        both = np.outer(part != 0.0, part != 0.0)
        later = np.maximum.outer(np.arange(len(rows)), np.arange(len(rows)))
        log_factor -= np.where(both, part[later], 0.0)
    return rows, np.exp(log_factor)


def weigh_apart(evidence: Evidence, tables: Tables, prior: ApartPrior, least: float, log_least: float,
                most: int | None) -> ApartPairs:
    """All pairs that never meet. tables: what functions say of two kinds of row, and the kind of every row. Of pairs of
    more than `least` times exp(log_least) the `most` likeliest are listed; all where it is None."""
    plain = evidence.log_likelihood.sum(axis=0)
    gain = plain - plain[NOTHING_ROW]
    highest = float(gain[FIRST_FAULT_ROW:].max(initial=0.0))
    # Half of it on either side, so that the best beside one that explains nothing is still told from nothing at all.
    shift = 0.5 * (highest + max(highest - MOST_EXPONENT, 0.0))
    top = float(plain[NOTHING_ROW] + np.log(prior.constant)) + 2.0 * shift
    merged = prior.merged([kind for _, kind in tables])
    kind, beyond = merged.kind, _beyond(tables, merged)
    with np.errstate(under="ignore"):
        own = prior.share * np.exp(gain - shift)
    product = _Product(own, kind, beyond, prior)
    of_kind = np.bincount(kind, weights=own, minlength=len(beyond))
    full = own * (beyond @ of_kind)[kind]
    sums = full + own * _exceptions(own, beyond, merged)[merged.cell]
    cancelled = np.flatnonzero((sums < CANCELLED * full) & (full > 0.0))
    if len(cancelled):
        sums[cancelled] = product.weights(cancelled[:, None], np.arange(len(own))[None, :]).sum(axis=1)
    rows, factor = _shown_once(evidence, prior)
    shown = product.weights(rows[:, None], rows[None, :]) if len(rows) else np.zeros((0, 0))
    sums[rows] += (shown * (factor - 1.0)).sum(axis=1)
    floor = least * float(np.exp(min(log_least - top, 700.0)))
    listed = _likeliest(product, floor, most, rows, shown * factor)
    return ApartPairs(sums, 0.5 * float(sums.sum()), *listed, top)


def _exceptions(own: np.ndarray, beyond: np.ndarray, merged: MergedRows) -> np.ndarray:
    """What a row of each cell has more, or less, with all others than the product, by its own part, (C,)."""
    first, second, kind = merged.first, merged.second, merged.kind_of_cell
    cells = np.bincount(merged.cell, own, len(kind))
    beyond_by = beyond.ravel().take((kind * len(beyond)).take(first) + kind.take(second)) * merged.excess
    found = np.bincount(first, cells.take(second) * beyond_by, len(kind))
    return np.asarray(found + np.bincount(second, np.where(first == second, 0.0, cells.take(first) * beyond_by),
                                          len(kind)))


def _likeliest(product: _Product, floor: float, most: int | None, shown_rows: np.ndarray, shown: np.ndarray) -> tuple[
        np.ndarray, np.ndarray, np.ndarray]:
    """The pairs that weigh more than `floor`, the `most` likeliest of them. shown: (U, U) weights of pairs of
    `shown_rows`, which are taken as they are."""
    prior, own = product.prior, product.own
    one, other = np.nonzero(np.triu(shown > floor, 1))
    raised = np.flatnonzero(prior.ratio > RAISED)
    firsts = [shown_rows[one], prior.first[raised]]
    seconds = [shown_rows[other], prior.second[raised]]
    weights = [shown[one, other], product.weights(prior.first[raised], prior.second[raised])]
    is_shown = np.zeros(len(own), dtype=bool)
    is_shown[shown_rows] = True
    weights[1] = np.where(is_shown[firsts[1]] & is_shown[seconds[1]], 0.0, weights[1])
    by_kind = _by_kind(product)
    for budget in ([None] if most is None else [times * most for times in CANDIDATES]):
        level, first, second = by_kind.above(floor, budget)
        weight = np.where(is_shown[first] & is_shown[second], 0.0, product.weights(first, second, raised=False))
        if most is None or level <= floor or int((weight >= level).sum()) >= most:
            break
    first, second = np.minimum(first, second), np.maximum(first, second)
    first, second = np.concatenate([*firsts, first]), np.concatenate([*seconds, second])
    weight = np.concatenate([*weights, weight])
    keep = np.flatnonzero(weight > floor)
    if most is not None and len(keep) > most:
        keep = keep[np.argpartition(-weight[keep], most - 1)[:most]]
    return first[keep], second[keep], weight[keep]


@dataclass(frozen=True)
class _ByKind:
    """own: (R,), each row's part; kind: (R,); beside: (K, K), what a row of each kind weighs at most beside one of
    each, by its own part, and beyond: (K, K) as it is; order: rows by kind, in each the heaviest first; keys: (R,) of
    that order, by kind and by place among all rows by weight; heaviest: (R,), all parts, falling; begins: (K,), where
    each kind begins in the order; pairs_of_kinds: what the heaviest pair of any two kinds weighs, each two once."""

    own: np.ndarray
    kind: np.ndarray
    beside: np.ndarray
    beyond: np.ndarray
    order: np.ndarray
    keys: np.ndarray
    heaviest: np.ndarray
    begins: np.ndarray
    pairs_of_kinds: np.ndarray

    def above(self, floor: float, most: int | None) -> tuple[float, np.ndarray, np.ndarray]:
        """A level of weight, `floor` or higher, and every pair of rows that weighs more, exceptions of the prior aside,
        the earlier row first: some `most` pairs, a row beside itself counted too, or all above the floor where it is
        None."""
        level = floor if most is None else max(floor, _largest(self.pairs_of_kinds, most))
        # A row that is below that beside the best of all kinds is in no pair that is wanted.
        rows = np.flatnonzero(self.own * self.beside.max(axis=1)[self.kind] >= level * JUST_BELOW)
        best = self.own[rows, None] * self.beside[self.kind[rows]]
        if most is not None:  # a row beside the best of a kind is a pair, and is told twice at most
            level = max(level, _largest(best.ravel(), 2 * most))
        place, kind = np.nonzero(best > level * JUST_BELOW)
        row = rows[place]
        with np.errstate(divide="ignore", over="ignore"):
            least = level * JUST_BELOW / (self.own[row] * self.beyond[self.kind[row], kind])
        heavier = np.searchsorted(-self.heaviest, -least)
        counts = np.searchsorted(self.keys, kind * (len(self.own) + 1) + heavier) - self.begins[kind]
        first = np.repeat(row, counts)
        before = np.repeat(np.cumsum(counts) - counts, counts)
        second = self.order[np.repeat(self.begins[kind], counts) + np.arange(len(first)) - before]
        once = first < second
        return level, first[once], second[once]


def _largest(values: np.ndarray, count: int) -> float:
    """The count-th largest; 0 where there are fewer."""
    return float(np.partition(values, -count)[-count]) if count <= len(values) else 0.0


@lru_cache(maxsize=16)
def _upper(count: int) -> np.ndarray:
    """Boolean (count, count): each two once."""
    return np.triu(np.ones((count, count), dtype=bool))


def _by_kind(product: _Product) -> _ByKind:
    own, kind, kinds = product.own, product.kind, len(product.beyond)
    place = np.empty(len(own), dtype=np.int64)
    place[np.argsort(-own, kind="stable")] = np.arange(len(own))
    keys = kind * (len(own) + 1) + place
    order = np.argsort(keys, kind="stable")
    begins = np.searchsorted(keys[order], np.arange(kinds) * (len(own) + 1))
    most = np.zeros(kinds)
    np.maximum.at(most, kind, own)
    with np.errstate(over="ignore", under="ignore"):
        beside = product.beyond * most
        pairs = (most[:, None] * beside)[_upper(kinds)]
    return _ByKind(own, kind, beside, product.beyond, order, keys[order], -np.sort(-own), begins, pairs)
