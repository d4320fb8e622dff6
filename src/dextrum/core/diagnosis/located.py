"""What all that was seen at places says of sets of faults: added up, and solved together only where that is not all."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import permutations

import numpy as np

from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.witness import LocatedWitness, Witness

MOST_WITNESSES, MOST_OF_ONE = 100, 4000
"""Witnesses whose sets are remembered, and sets of each; a trail grows by one entry, so most were solved before."""


def _remembered(model: DiagnosisModel, witness: LocatedWitness, sets: np.ndarray) -> np.ndarray:
    """What a witness says of sets, (N,), solved where it hasn't been before."""
    known = model.set_memory.pop(witness.memory_key, {})
    model.set_memory[witness.memory_key] = known  # the newest last
    while len(model.set_memory) > MOST_WITNESSES:
        del model.set_memory[next(iter(model.set_memory))]
    names = [tuple(rows) for rows in sets.tolist()]
    missing = [k for k, name in enumerate(names) if name not in known]
    if missing:
        if len(known) > MOST_OF_ONE:
            known.clear()
            missing = list(range(len(names)))
        known.update(zip((names[k] for k in missing), witness.of_sets(model, sets[missing]).tolist(), strict=True))
    return np.array([known[name] for name in names])


class Located:
    """The witnesses of one trail that saw something at a place, L of them, as arrays over rows."""

    def __init__(self, witnesses: Sequence[Witness]) -> None:
        self.witnesses = [w for w in witnesses if isinstance(w, LocatedWitness)]
        rows = len(witnesses[0].rows) if witnesses else 1
        stacked = np.stack([w.rows for w in self.witnesses]) if self.witnesses else np.zeros((0, rows))
        self.nothing = stacked[:, NOTHING_ROW]
        self._beyond: np.ndarray = stacked - stacked[:, [NOTHING_ROW]]
        self._size: np.ndarray = np.stack([w.size for w in self.witnesses]) if self.witnesses else stacked
        self.near: np.ndarray = self._size > 0

    def together(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of sets of rows (N, W), filled up with NO_ROW, beyond what single rows add up to, (N,)."""
        found = np.zeros(len(sets))
        for _, here, beyond in self._solved(model, sets):
            found[here] += beyond
        return found

    def each_of_sets(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of each under sets (N, W), (L, N)."""
        found = self.nothing[:, None] + np.where(sets != NO_ROW, self._beyond[:, sets], 0.0).sum(axis=2)
        for k, here, beyond in self._solved(model, sets):
            found[k, here] += beyond
        return np.asarray(found)

    def _solved(self, model: DiagnosisModel, sets: np.ndarray) -> Iterator[tuple[int, np.ndarray, np.ndarray]]:
        """Witness, places of sets that are solved there, and their ln likelihood beyond what single rows add up to:
        where two of a set's faults have part in what was seen, or one joins its place with where another sits."""
        if not len(sets) or not self.witnesses:
            return
        member: np.ndarray = np.not_equal(sets, NO_ROW)
        own = np.where(member, self._beyond[:, sets], 0.0)
        near = self.near[:, sets] & member
        counts = near.any(axis=2) & ((near | (own != 0.0)).sum(axis=2) > 1)
        wide = near & model.pairs.spans[sets]
        for one, other in permutations(range(sets.shape[1]), 2):
            counts |= wide[:, :, one] & member[:, other] & model.pairs.meets[sets[:, one], sets[:, other]]
        for k in np.flatnonzero(counts.any(axis=1)).tolist():
            here = np.flatnonzero(counts[k])
            alone = self.nothing[k] + own[k, here].sum(axis=1)
            yield k, here, _remembered(model, self.witnesses[k], sets[here]) - alone

    def quick(self, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of each under sets (N, W), (L, N), with what faults that meet show taken from the one that
        changes it more."""
        if not self.witnesses:
            return np.zeros((0, len(sets)))
        member: np.ndarray = np.not_equal(sets, NO_ROW)
        size = np.where(member, self._size[:, sets], -1.0)
        near = (size > 0).sum(axis=2)
        far = np.where(member & (size <= 0), self._beyond[:, sets], 0.0).sum(axis=2)
        every = np.arange(len(sets))
        place = size.argmax(axis=2)
        first = sets[every, place]
        np.put_along_axis(size, place[:, :, None], -2.0, axis=2)
        second = np.where(near > 1, sets[every, size.argmax(axis=2)], first)
        own = np.take_along_axis(self._beyond, first, axis=1)
        found = self.nothing[:, None] + far + np.where(near > 0, own, 0.0)
        for k in np.flatnonzero((near > 1).any(axis=1)).tolist():
            here = np.flatnonzero(near[k] > 1)
            both = self.witnesses[k].of_larger(first[k, here], second[k, here])
            found[k, here] += both - self.nothing[k] - own[k, here]
        return np.asarray(found)

    def of_sets(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of all that was seen at places, (N,)."""
        own = np.where(sets != NO_ROW, self._beyond.sum(axis=0)[sets], 0.0).sum(axis=1)
        return np.asarray(float(self.nothing.sum()) + own + self.together(model, sets))
