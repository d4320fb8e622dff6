"""What is broken now, as far as all that was tried tells: what advice expects of the next trial."""

from __future__ import annotations

import numpy as np

from dextrum.core.diagnosis.functional_evidence import FunctionalEvidence
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior


def broken_now(model: DiagnosisModel, harms: np.ndarray, posterior: Posterior, rows: np.ndarray) -> tuple[
        np.ndarray, np.ndarray]:
    """What is broken by what remains, as far as all that was tried tells: chance of each function (L, functions), and
    that each fault breaks anything that matters, (L, 3), 0 where there is none.

    harms: (R, S), whether each state of each row breaks anything that matters. rows: the likeliest sets of what
    remains, (L, 3). One function lies side by side in memory.
    """
    remains = posterior.what_remains
    of = np.flatnonzero(remains.place < len(rows))
    sets, where, left = posterior.sets.rows[remains.source[of]], remains.place[of], remains.kept[of]
    functional = posterior.evidence.functional or FunctionalEvidence(model, ())
    broken = np.zeros((len(of), model.broken.shape[1]))
    harm = np.zeros(sets.shape)
    several = (sets != NO_ROW).sum(axis=1)
    for wide in np.unique(several).tolist():
        here = np.flatnonzero(several == wide)
        broken[here], harm[here, :wide] = _of_size(model, harms, functional, sets[here, :wide], left[here, :wide])
    order = np.argsort(-np.where(left, sets, NO_ROW), axis=1, kind="stable")
    harm = np.take_along_axis(harm, order, axis=1)
    if not posterior.evidence.mended:
        return np.asfortranarray(broken), harm  # each set leaves itself
    # Sets of which the same is left share what they tell, by their weights.
    weight = remains.share[of]
    total = np.maximum(np.bincount(where, weight, len(rows)), 1e-300)
    both = np.concatenate([broken, harm], axis=1) * weight[:, None]
    found = np.stack([np.bincount(where, column, len(rows)) for column in both.T], axis=1) / total[:, None]
    return np.asfortranarray(found[:, :broken.shape[1]]), found[:, broken.shape[1]:]


def _of_size(model: DiagnosisModel, harms: np.ndarray, functional: FunctionalEvidence, sets: np.ndarray,
             left: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """The same of sets of one size, (N, W), of which `left` remain: (N, functions) and (N, W)."""
    combined, chance = functional.states_of_sets(sets)
    broken = np.zeros((len(sets), model.broken.shape[1]))
    harm = np.zeros(sets.shape)
    for own, share in zip(combined, chance, strict=True):
        here = np.flatnonzero(share)  # few sets can be in every state
        if not len(here):
            continue
        rows, there = sets[here], left[here]
        intact = 1.0 - model.states.broken[own[0], rows[:, 0]] * there[:, :1]
        for column in range(1, sets.shape[1]):
            intact *= 1.0 - model.states.broken[own[column], rows[:, column]] * there[:, column, None]
        broken[here] += share[here, None] * (1.0 - intact)
        harm[here] += share[here, None] * there * harms[rows, own]
    return broken, harm
