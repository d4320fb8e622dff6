"""What all that was seen at places says of sets of faults: added up, and solved together only where that is not all."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from itertools import permutations

import numpy as np

from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW, LeftByRepair
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.witness import LocatedWitness, Witness, log_of_ways, ways
from dextrum.core.log_sum import log_sum

MOST_OF_ONE = 4000
"""Sets of one witness that are remembered."""


def _remembered(model: DiagnosisModel, witness: LocatedWitness, sets: np.ndarray) -> np.ndarray:
    """What a witness says of sets in each way their repairs may have gone, (2 ** W, N), solved where it hasn't been
    before."""
    kept = model.memory.sets
    known = kept.keep(witness.memory_key, kept.get(witness.memory_key) or {})
    names = [tuple(rows) for rows in sets.tolist()]
    missing = [k for k, name in enumerate(names) if name not in known]
    if missing:
        if len(known) > MOST_OF_ONE:
            known.clear()
            missing = list(range(len(names)))
        known.update(zip((names[k] for k in missing), witness.of_ways(model, sets[missing]).T.tolist(), strict=True))
    return np.array([known[name] for name in names]).reshape(len(names), -1).T


class Located:
    """The witnesses of one trail that saw something at a place, L of them, as arrays over rows."""

    def __init__(self, witnesses: Sequence[Witness], once: np.ndarray | None = None,
                 again: np.ndarray | None = None) -> None:
        """once: (E, R) what makes each repair fail once for all, beyond what the rows of all the witnesses add up to;
        again: (R,) rows that were repaired more than once."""
        self.witnesses = [w for w in witnesses if isinstance(w, LocatedWitness)]
        self._once_each = None if once is None else once[[isinstance(w, LocatedWitness) for w in witnesses]]
        self._once = None if self._once_each is None else self._once_each.sum(axis=0)
        rows = len(witnesses[0].rows) if witnesses else 1
        stacked = np.stack([w.rows for w in self.witnesses]) if self.witnesses else np.zeros((0, rows))
        self.nothing = stacked[:, NOTHING_ROW]
        self._beyond: np.ndarray = stacked - stacked[:, [NOTHING_ROW]]
        self._size: np.ndarray = np.stack([w.size for w in self.witnesses]) if self.witnesses else stacked
        self.near: np.ndarray = self._size > 0
        # What was repaired more than once is left to what single rows say of it.
        self._again: np.ndarray = again if again is not None else np.zeros(rows, dtype=bool)
        self._gone: np.ndarray = np.stack([w.gone for w in self.witnesses]) if self.witnesses else stacked != 0

    def together(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of sets of rows (N, W), filled up with NO_ROW, beyond what single rows add up to, (N,)."""
        found = np.zeros(len(sets))
        solved = list(self._solved(model, sets))
        for k, here, beyond, _ in solved:
            found[here] += beyond - self.once_at(k, sets[here])
        if self._once is None or not len(sets):
            return found
        ever: np.ndarray = np.any(self._gone, axis=0)
        mended = (sets != NO_ROW) & ever[sets]
        again = (sets != NO_ROW) & self._again[sets]
        here = np.flatnonzero(mended.any(axis=1) & ~again.any(axis=1) & (found != 0.0))
        if len(here):
            by_way = {k: (places, values) for k, places, _, values in solved}
            found[here] = self._taken_once(model.hypotheses.left, sets, mended, by_way)[here]
        return found

    def once_at(self, k: np.ndarray | int, sets: np.ndarray) -> np.ndarray:
        """What makes the repairs of sets (N, W) fail once for all at the k-th witness, or at one for each of them, by
        what single rows say, (N,). Where two of a set have part in what was seen it says nothing: what the one that
        was mended would show, the other shows."""
        if self._once_each is None:
            return np.zeros(len(sets))
        by = k if isinstance(k, int) else k[:, None]
        return np.asarray(np.where(sets != NO_ROW, self._once_each[by, sets], 0.0).sum(axis=1))

    def once_at_pairs(self, k: np.ndarray, here: np.ndarray, first: np.ndarray, second: np.ndarray) -> np.ndarray:
        """`once_at` of the k-th witnesses (N,) at the places `here` (N,) of pairs of rows, (N,)."""
        found = np.zeros(len(here))
        if self._once_each is not None:
            repaired = (self._once_each != 0.0).any(axis=0)
            some = np.flatnonzero((repaired[first] | repaired[second])[here])
            found[some] = self.once_at(k[some], np.column_stack([first[here[some]], second[here[some]]]))
        return found

    def _taken_once(self, left: LeftByRepair, sets: np.ndarray, mended: np.ndarray,
                    by_way: dict[int, tuple[np.ndarray, np.ndarray]]) -> np.ndarray:
        """ln likelihood of sets with repairs (N, W) beyond what single rows add up to, (N,), each repair taken or not
        for all witnesses alike. by_way: of the witnesses that were solved, places of sets and their values by way."""
        assert self._once is not None
        member: np.ndarray = np.not_equal(sets, NO_ROW)
        there, worked = self._whole_by_way
        total = float(self.nothing.sum()) + np.where(member, np.where(
            ways(sets.shape[1])[:, None, :], worked[sets], there[sets]), 0.0).sum(axis=2)
        for k, (places, values) in by_way.items():
            total[:, places] += values - self._added_up(k, sets[places])
        singles = float(self.nothing.sum()) + np.where(member, self._beyond.sum(axis=0)[sets] + self._once[sets],
                                                       0.0).sum(axis=1)
        return np.asarray(log_sum(total + log_of_ways(mended, sets, left), axis=0) - singles)

    @cached_property
    def _whole_by_way(self) -> tuple[np.ndarray, np.ndarray]:
        """What all witnesses together say of rows beyond a good board, their repairs not taken and taken, (R,) each."""
        there, worked = np.zeros(len(self._again)), np.zeros(len(self._again))
        for witness in self.witnesses:
            nothing = witness.unmended[NOTHING_ROW]
            there += witness.unmended - nothing
            worked += np.where(witness.gone, witness.worked, witness.unmended) - nothing
        return there, worked

    def _by_way(self, k: int, sets: np.ndarray, solved: dict[int, tuple[np.ndarray, np.ndarray]]) -> np.ndarray:
        """ln likelihood of the k-th witness under sets (N, W) in each way their repairs may have gone, (2 ** W, N), in
        the order of `ways`. solved: as `by_way` above."""
        own = self._added_up(k, sets)
        if k in solved:
            places, values = solved[k]
            own[:, places] = values
        return own

    def _added_up(self, k: int, sets: np.ndarray) -> np.ndarray:
        """The same with what single rows say added up, wherever it was solved."""
        witness, member = self.witnesses[k], np.not_equal(sets, NO_ROW)
        there = np.where(member, witness.unmended[sets] - witness.unmended[NOTHING_ROW], 0.0)
        worked = np.where(member, witness.worked[sets] - witness.unmended[NOTHING_ROW], 0.0)
        taken = ways(sets.shape[1])[:, None, :] & (witness.gone[sets] & member)[None]
        return np.asarray(self.nothing[k] + np.where(taken, worked, there).sum(axis=2))

    def by_ways(self, model: DiagnosisModel, sets: np.ndarray) -> Iterator[tuple[int, np.ndarray, np.ndarray]]:
        """Of each witness that came after a repair of what has part in it: its place, places of such sets among sets
        (N, W), and its ln likelihood under those in each way their repairs may have gone, (2 ** W, N'), in the order of
        `ways`."""
        if not self.witnesses:
            return
        told = ((self.near & self._gone)[:, sets] & (sets != NO_ROW)).any(axis=2)
        after = np.flatnonzero(told.any(axis=1))
        solved = {k: (here, values) for k, here, _, values in self._solved(model, sets, after)}
        for k in after.tolist():
            here = np.flatnonzero(told[k])
            places, values = solved.get(k, (np.zeros(0, dtype=int), np.zeros((2 ** sets.shape[1], 0))))
            inside = np.flatnonzero(told[k, places])
            yield k, here, self._by_way(k, sets[here], {k: (np.searchsorted(here, places[inside]), values[:, inside])})

    def each_of_sets(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of each under sets (N, W), (L, N)."""
        found = self.nothing[:, None] + np.where(sets != NO_ROW, self._beyond[:, sets], 0.0).sum(axis=2)
        for k, here, beyond, _ in self._solved(model, sets):
            found[k, here] += beyond
        return np.asarray(found)

    def beyond_of(self, model: DiagnosisModel, sets: np.ndarray, which: np.ndarray) -> np.ndarray:
        """ln likelihood of sets (N, W) beyond what single rows add up to, by these of the witnesses alone, (N,); each
        with its repairs taken or not by itself."""
        found = np.zeros(len(sets))
        for _, here, beyond, _ in self._solved(model, sets, which):
            found[here] += beyond
        return found

    def _solved(self, model: DiagnosisModel, sets: np.ndarray, which: np.ndarray | None = None) -> (
            Iterator[tuple[int, np.ndarray, np.ndarray, np.ndarray]]):
        """Of `which` witnesses, or all: witness, places of sets that are solved there, their ln likelihood beyond what
        single rows add up to, and whole by the ways their repairs may have gone: where two of a set's faults have part
        in what was seen, or one joins its place with where another sits."""
        if not len(sets) or not self.witnesses:
            return
        every = np.arange(len(self.witnesses)) if which is None else which
        member: np.ndarray = np.not_equal(sets, NO_ROW)
        own = np.where(member, self._beyond[every[:, None, None], sets], 0.0)
        near = self.near[every[:, None, None], sets] & member
        counts = near.any(axis=2) & ((near | (own != 0.0)).sum(axis=2) > 1)
        wide = near & model.pairs.spans[sets]
        for one, other in permutations(range(sets.shape[1]), 2):
            counts |= wide[:, :, one] & member[:, other] & model.pairs.meets[sets[:, one], sets[:, other]]
        for place in np.flatnonzero(counts.any(axis=1)).tolist():
            k = int(every[place])
            here = np.flatnonzero(counts[place])
            alone = self.nothing[k] + own[place, here].sum(axis=1)
            by_way = _remembered(model, self.witnesses[k], sets[here])
            mended = (sets[here] != NO_ROW) & self.witnesses[k].gone[sets[here]]
            taken = log_of_ways(mended, sets[here], model.hypotheses.left)
            yield k, here, log_sum(by_way + taken, axis=0) - alone, by_way

    def quick(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
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
            both = self.witnesses[k].of_larger(first[k, here], second[k, here], model.hypotheses.left)
            found[k, here] += both - self.nothing[k] - own[k, here]
        return np.asarray(found)

    def of_sets(self, model: DiagnosisModel, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of all that was seen at places, (N,)."""
        alone = self._beyond.sum(axis=0) + (0.0 if self._once is None else self._once)
        own = np.where(sets != NO_ROW, alone[sets], 0.0).sum(axis=1)
        return np.asarray(float(self.nothing.sum()) + own + self.together(model, sets))
