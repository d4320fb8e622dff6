"""Lots that fail more than they should: a Bayes factor against the usual rate (R. E. Kass and A. E. Raftery, Bayes
factors, Journal of the American Statistical Association 90, 1995).

The usual rate is that of all other lots of the shop, with what is assumed of new parts as its prior; a bad lot's rate
may be anything above it, evenly.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from dextrum.core.assumptions.repairs import NEW_PART_FAILS
from dextrum.core.assumptions.shop import BAD_LOT_PRIOR_PARTS, BAD_LOT_SHARE, BAD_LOT_TOLD_FROM
from dextrum.core.stock.lots import Lot


@dataclass(frozen=True)
class LotEvidence:
    """usual: rate at which other lots fail. factor: Bayes factor of a bad lot against a usual one. chance: that the
    next part of it fails, with what is known."""

    lot: str
    used: int
    failed: int
    usual: float
    factor: float
    chance: float

    @property
    def told(self) -> bool:
        return self.factor >= BAD_LOT_TOLD_FROM


RATES = np.linspace(0.0025, 0.9975, 400)


def evidence_of(lots: Mapping[str, Lot]) -> tuple[LotEvidence, ...]:
    """Of every lot of which anything was used, the strongest evidence first."""
    pieces = [lot for lot in lots.values() if not lot.used_up]
    used = sum(lot.used for lot in pieces)
    failed = sum(lot.failed for lot in pieces)
    found = []
    for lot in pieces:
        if lot.used == 0:
            continue
        a = BAD_LOT_PRIOR_PARTS * NEW_PART_FAILS + failed - lot.failed
        b = BAD_LOT_PRIOR_PARTS * (1.0 - NEW_PART_FAILS) + (used - lot.used) - (failed - lot.failed)
        found.append(_evidence(lot, a, b))
    return tuple(sorted(found, key=lambda one: -one.factor))


def _evidence(lot: Lot, a: float, b: float) -> LotEvidence:
    """a, b: of the beta distribution of the usual rate."""
    k, n = lot.failed, lot.used
    usual = (a - 1.0) * np.log(RATES) + (b - 1.0) * np.log1p(-RATES)
    usual = np.exp(usual - usual.max())
    usual /= usual.sum()
    likelihood = np.exp(k * np.log(RATES) + (n - k) * np.log1p(-RATES))
    middle = a / (a + b)
    bad = np.where(middle < RATES, 1.0, 0.0)
    bad /= bad.sum()
    as_usual, as_bad = float(usual @ likelihood), float(bad @ likelihood)
    factor = as_bad / max(as_usual, 1e-300)
    is_bad = factor / (factor + 1.0 / BAD_LOT_SHARE - 1.0)
    post_usual, post_bad = usual * likelihood / as_usual, bad * likelihood / max(as_bad, 1e-300)
    chance = (1.0 - is_bad) * float(post_usual @ RATES) + is_bad * float(post_bad @ RATES)
    return LotEvidence(lot.name, n, k, middle, factor, chance)

