"""What is left after repairs: each mended fault is gone, or is there still, as far as what was seen since tells."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import product
from typing import TYPE_CHECKING

import numpy as np

from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW, distinct_sets
from dextrum.core.diagnosis.witness import FunctionalWitness, LocatedWitness

if TYPE_CHECKING:
    from dextrum.core.diagnosis.posterior import Posterior

MOST_SPLIT = 256
"""Of so many of the likeliest sets it is asked which repairs have failed; of all others none has."""
MOST_REPAIRED = 2
"""Repairs of one part that may have failed; what reads the same after one more is how this board reads."""
PLAIN_SIZE = 0.03
"""How far a fault must move what is seen for it to tell whether its repair has taken: less is how boards differ. On the
scale that readings are compared on (volts, logarithms of ohms); siemens for what warms."""


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
    among the ways its repairs may have gone by Bayes: the chance that each is left, times what was seen since."""
    sets, weight = posterior.sets.rows, posterior.sets.weight
    every = np.arange(len(sets))
    member: np.ndarray = np.not_equal(sets, NO_ROW)
    mended = member & posterior.hypotheses.rows_mended(posterior.evidence.mended_ids)[sets]
    if not mended.any():
        return Remains(-np.sort(-sets, axis=1), weight, every, member, every, weight)
    few = frozenset(fault for fault, _, repairs in posterior.evidence.mended_last if repairs <= MOST_REPAIRED)
    source, failed = _ways(mended & posterior.hypotheses.rows_mended(few)[sets])
    kept = member[source] & (~mended[source] | failed)
    left = posterior.hypotheses.left
    log_chance = np.where(mended[source], np.where(failed, left.log_fails[sets[source]], left.log_works[sets[source]]),
                          0.0).sum(axis=1)
    asked = np.flatnonzero(source < MOST_SPLIT)
    log_chance[asked] += _log_seen_since(posterior, sets[source[asked]], kept[asked])
    share = np.exp(log_chance - _highest_of(log_chance, source, len(sets))[source])
    share *= (weight / np.bincount(source, share, len(sets)))[source]
    rows = -np.sort(-np.where(kept, sets[source], NO_ROW), axis=1)
    rows[(rows == NO_ROW).all(axis=1), 0] = NOTHING_ROW
    first, place = distinct_sets(rows, posterior.hypotheses.count)
    merged = np.bincount(place, share, len(first))
    order = np.argsort(-merged, kind="stable")
    return Remains(rows[first[order]], merged[order], source, kept, np.argsort(order)[place], share)


def _ways(mended: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """How the repairs of each set may have gone: which set, (X,), and which of its members' repairs have failed, (X,
    3). mended: (K, 3), those whose repairs may have."""
    source, failed = [], []
    for pattern in product((False, True), repeat=mended.shape[1]):
        here = np.flatnonzero((mended | ~np.array(pattern)).all(axis=1))
        here = here[here < MOST_SPLIT] if any(pattern) else here
        source.append(here)
        failed.append(np.tile(pattern, (len(here), 1)))
    return np.concatenate(source), np.concatenate(failed)


def _highest_of(values: np.ndarray, group: np.ndarray, count: int) -> np.ndarray:
    found = np.full(count, -np.inf)
    np.maximum.at(found, group, values)
    return found


def _log_seen_since(posterior: Posterior, sets: np.ndarray, kept: np.ndarray) -> np.ndarray:
    """ln likelihood of what was seen since with those of sets (X, 3) there still that are kept, (X,); up to what is the
    same whichever are. What was seen before a part was repaired once more says nothing of that."""
    evidence, hypotheses = posterior.evidence, posterior.hypotheses
    gone_by = {epoch: hypotheses.rows_mended(frozenset(f for f, since, _ in evidence.mended_last if since <= epoch))
               for epoch in {item.epoch for item in evidence.items}}
    seen = [(witness, gone_by[item.epoch]) for item, witness in zip(evidence.items, evidence.witnesses, strict=True)]
    found = _located_since([(w, gone) for w, gone in seen if isinstance(w, LocatedWitness) and gone.any()], sets, kept)
    functional = evidence.functional
    if functional is not None and functional.witnesses:
        gone = [gone for witness, gone in seen if isinstance(witness, FunctionalWitness)]
        several = (sets != NO_ROW).sum(axis=1)
        for wide in np.unique(several).tolist():
            here = np.flatnonzero(several == wide)
            found[here] += functional.of_sets_as_left(sets[here, :wide], kept[here, :wide], gone)
    return found


def _located_since(seen: Sequence[tuple[LocatedWitness, np.ndarray]], sets: np.ndarray, kept: np.ndarray) -> np.ndarray:
    """The same of what was seen at places, each with the rows repaired by then, (R,): the fault that changes it most
    decides. Where one that had part in it is gone, what was seen there before says nothing of how far the board is
    off."""
    if not seen:
        return np.zeros(len(sets))
    size = np.stack([witness.size for witness, _ in seen])[:, sets]
    repaired = np.stack([gone for _, gone in seen])[:, sets]
    near = (sets != NO_ROW) & (size >= PLAIN_SIZE)
    gone = near & repaired & ~kept
    size = np.where(near & ~gone, size, -1.0)
    first = size.argmax(axis=2)
    decides = np.where(size.max(axis=2) > 0, sets[np.arange(len(sets)), first], NOTHING_ROW)
    anew = np.take_along_axis(np.stack([witness.fresh for witness, _ in seen]), decides, axis=1)
    as_before = np.take_along_axis(np.stack([witness.unmended for witness, _ in seen]), decides, axis=1)
    return np.asarray(np.where(gone.any(axis=2), anew, as_before).sum(axis=0))
