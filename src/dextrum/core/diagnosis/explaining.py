"""What speaks for a fault being only what another one took with it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior

LEAST_COLLATERAL = 0.1
"""Chance of the cause being there too, from which it is told."""


def only_collateral(model: DiagnosisModel, posterior: Posterior,
                    faults: Sequence[int]) -> dict[int, tuple[int, float]]:
    """Of each fault that another likely one would have taken with it (a short its fuse, a crushed port what hangs on
    its lines): that other fault, and the chance that it is there, if the first is."""
    of = np.append(posterior.hypotheses.fault_of_row, NO_ROW)[posterior.sets.rows]
    caused = model.pairs.caused
    found: dict[int, tuple[int, float]] = {}
    for fault in faults:
        inside = (of == fault).any(axis=1)
        weight = np.where(inside, posterior.sets.weight, 0.0)
        total = float(weight.sum())
        if total <= 0.0:
            continue
        share = np.zeros(len(posterior.hypotheses.faults))
        for column in of.T:
            causes = (column >= 0) & caused[fault, column]
            share += np.bincount(column[causes], weights=weight[causes], minlength=len(share))
        best = int(share.argmax())
        if share[best] / total >= LEAST_COLLATERAL:
            found[fault] = best, float(share[best]) / total
    return found
