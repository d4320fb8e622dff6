"""What symptoms, draw, checks and rails say together of rows and of sets: a fault has broken a thing, or it has not.

Each item is counted given those before it, so that the items of a row add up to what all of them say of it together.
Whether a repair has taken is one thing for all that is tried between two repairs: a chip whose joint did not take fails
four checks for one reason, and not for four.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import product

import numpy as np

from dextrum.core.diagnosis.functional_classes import HEALTHY, both_broken
from dextrum.core.diagnosis.hypotheses import NO_ROW, LeftByRepair
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.witness import FunctionalWitness
from dextrum.core.log_sum import log_sum

LEAST = 1e-300


@dataclass(frozen=True)
class _Group:
    """Witnesses of one state of repair and of isolation: the model as it was, (R,) rows mended by then, and places of
    the witnesses in the trail."""

    under: DiagnosisModel
    gone: np.ndarray
    members: tuple[int, ...]


def functional_evidence(model: DiagnosisModel, witnesses: Sequence[FunctionalWitness]) -> FunctionalEvidence:
    """What the functional witnesses of a trail say together; readings and looks leave it as it was."""
    key = tuple(witness.memory_key for witness in witnesses)
    return model.memory.functional.recall(key, lambda: FunctionalEvidence(model, witnesses))


class FunctionalEvidence:
    """The functional witnesses of one trail in its order, E of them."""

    def __init__(self, model: DiagnosisModel, witnesses: Sequence[FunctionalWitness]) -> None:
        whole = model.whole or model
        self.witnesses = tuple(witnesses)
        self._left: LeftByRepair = whole.hypotheses.left
        self._tables: list[np.ndarray] = [w.table() for w in witnesses]
        groups: dict[tuple[bytes, frozenset[str]], list[int]] = {}
        for k, witness in enumerate(witnesses):
            groups.setdefault((witness.gone.tobytes(), witness.under.isolated), []).append(k)
        self._groups = [_Group(witnesses[m[0]].under, witnesses[m[0]].gone, tuple(m)) for m in groups.values()]
        where, kind = whole.classes.first_alike, whole.classes.alike
        for group in self._groups:
            alike = group.under.classes.alike
            if alike is whole.classes.alike and not group.gone.any():
                continue
            number = (kind.astype(np.int64) * (int(alike.max()) + 1) + alike) * (len(self._left.chances) + 1) + (
                self._left.level * group.gone)
            _, where, kind = np.unique(number, return_index=True, return_inverse=True)
        self._where: np.ndarray = where
        self.kind: np.ndarray = kind
        with np.errstate(divide="ignore"):
            self._log_weight: np.ndarray = np.log(whole.states.weight)

    @cached_property
    def rows(self) -> np.ndarray:
        """ln likelihood of each item under each single row, given the items before it, (E, R)."""
        log_weight = self._log_weight[self._where]
        total = np.zeros((len(self.witnesses), *log_weight.shape))
        for group in self._groups:
            of = group.under.classes.of_state[self._where]
            own = np.zeros_like(total)
            healthy = np.zeros((len(total), 1, 1))
            for k in group.members:
                own[k] = self._tables[k][of, HEALTHY]
                healthy[k] = self._tables[k][HEALTHY, HEALTHY]
            so_far = np.cumsum(own, axis=0)
            mended = np.flatnonzero(group.gone[self._where])
            works, fails = (of[self._where[mended]][:, None] for of in (self._left.log_works, self._left.log_fails))
            so_far[:, mended] = np.logaddexp(works + np.cumsum(healthy, axis=0), fails + so_far[:, mended])
            total += so_far
        so_far = log_sum(total + log_weight, axis=2)
        return np.asarray(np.diff(so_far, axis=0, prepend=0.0)[:, self.kind])

    @cached_property
    def of_kinds(self) -> np.ndarray:
        """ln likelihood of all items under every pair of kinds of row, (K, K); one alone is beside that of a good
        board."""
        log_weight = self._log_weight[self._where]
        place, state = np.nonzero(np.isfinite(log_weight))
        of_group = [group.under.classes.of_state[self._where[place], state]
                    + len(group.under.classes.broken) * (self._left.level * group.gone)[self._where[place]]
                    for group in self._groups]
        # States that are the same to every group weigh alike: they are told apart by number, and each kind is a
        # mixture of them.
        number = of_group[0]
        for of in of_group[1:]:
            number = np.unique(number * (int(of.max()) + 1) + of, return_inverse=True)[1].ravel()
        _, first, of_place = np.unique(number, return_index=True, return_inverse=True)
        share = np.zeros((len(log_weight), len(first)))
        np.add.at(share, (place, of_place.ravel()), np.exp(log_weight[place, state]))
        total = np.zeros((len(first), len(first)))
        for table, of in zip(self._whole_tables, of_group, strict=True):
            total += table[np.ix_(of[first], of[first])]
        highest = float(total.max())
        found = share @ np.exp(total - highest) @ share.T
        return np.asarray(np.log(np.maximum(found, LEAST)) + highest)

    @cached_property
    def _group_tables(self) -> list[np.ndarray]:
        """Each group's tables over pairs of classes, with those of mended faults after them where it has any, each item
        given those of the group before it, (items, K, K)."""
        found = []
        for group in self._groups:
            tables = np.stack([self._tables[k] for k in group.members])
            if group.gone.any():
                so_far = np.stack([_with_mended(table, self._left) for table in np.cumsum(tables, axis=0)])
                tables = np.diff(so_far, axis=0, prepend=0.0)
            found.append(tables)
        return found

    @cached_property
    def _whole_tables(self) -> list[np.ndarray]:
        """What all items of each group say together, (K, K)."""
        whole = [np.sum([self._tables[k] for k in group.members], axis=0) for group in self._groups]
        return [_with_mended(table, self._left) if group.gone.any() else table
                for group, table in zip(self._groups, whole, strict=True)]

    def items_of_sets(self, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of each item under sets of rows (N, W), filled up with NO_ROW at the end, given the items
        before it, (E, N)."""
        found = np.zeros((len(self.witnesses), len(sets)))
        several = (sets != NO_ROW).sum(axis=1)
        for wide in np.unique(several).tolist():
            here = np.flatnonzero(several == wide)
            found[:, here] = self._items_of_size(sets[here, :wide])
        return found

    def _items_of_size(self, sets: np.ndarray) -> np.ndarray:
        """The same of sets of one size."""
        combined, log_weight = self._states_of(sets)
        total = np.zeros((len(self.witnesses), *log_weight.shape))
        for group, tables in zip(self._groups, self._group_tables, strict=True):
            own = np.zeros_like(total)
            own[list(group.members)] = self._of_pairs(group, tables, sets, combined) if sets.shape[1] <= 2 \
                else self._of_several(group, sets, combined, np.isfinite(log_weight))
            total += np.cumsum(own, axis=0)
        so_far = log_sum(total + log_weight, axis=1)
        return np.asarray(np.diff(so_far, axis=0, prepend=0.0))

    def of_rows(self) -> np.ndarray:
        """ln likelihood of all items under every single row, (R,)."""
        return np.asarray(self.of_sets(self._where[:, None])[self.kind])

    def of_sets(self, sets: np.ndarray) -> np.ndarray:
        """ln likelihood of all items under sets of rows of one size, (N,)."""
        return log_sum(self._log_states(sets)[1], axis=0)

    def of_sets_where(self, sets: np.ndarray, there: Sequence[np.ndarray], when: Sequence[int]) -> np.ndarray:
        """ln likelihood of all items under sets of rows of one size (N, W), (N,). there: which of their faults were
        there, (N, W), at each stage of the repairs; when: the stage of each item."""
        combined, total = self._states_of(sets)
        state, place = np.nonzero(np.isfinite(total))
        members: dict[tuple[int, frozenset[str]], list[int]] = {}
        for k, (stage, witness) in enumerate(zip(when, self.witnesses, strict=True)):
            members.setdefault((stage, witness.under.isolated), []).append(k)
        for (stage, _), own in members.items():
            group = _Group(self.witnesses[own[0]].under, self.witnesses[own[0]].gone, tuple(own))
            of_state = np.where(there[stage][:, :, None], group.under.classes.of_state[sets], HEALTHY)
            of = np.stack([of_state[:, w, combined[:, w]].T for w in range(sets.shape[1])], axis=-1)
            if sets.shape[1] <= 2:
                table = np.sum([self._tables[k] for k in group.members], axis=0)
                total = total + table[of[..., 0] if sets.shape[1] > 1 else HEALTHY, of[..., -1]]
            else:
                total[state, place] += self._of_classes(group, np.sort(of[state, place], axis=-1)).sum(axis=0)
        return log_sum(total, axis=0)

    def states_of_sets(self, sets: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """What the faults of sets (N, W) of one size have broken, by all items: which state each is in, (C, W), and the
        chance of that, (C, N)."""
        combined, log_chance = self._log_states(sets)
        return combined, np.exp(log_chance - log_sum(log_chance, axis=0))

    def _log_states(self, sets: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """All that the members of sets may be in, (C, W), and ln of its weight with all items, (C, N)."""
        combined, total = self._states_of(sets)
        possible = np.isfinite(total)
        for group, table in zip(self._groups, self._whole_tables, strict=True):
            total = total + (self._of_pairs(group, table[None], sets, combined)[0] if sets.shape[1] <= 2
                             else self._so_far(group, sets, combined, possible, last=True)[0])
        return combined, total

    def _states_of(self, sets: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """The states that any of the sets can be in, (C, W), and ln of their prior chance, (C, N)."""
        wide = sets.shape[1]
        own = self._log_weight[sets]
        several = [range(int(np.isfinite(own[:, w]).any(axis=0).sum())) for w in range(wide)]
        combined = np.array(list(product(*several)), dtype=np.int64).reshape(-1, wide)
        return combined, np.asarray(sum(own[:, w, combined[:, w]].T for w in range(wide)))

    def _of_pairs(self, group: _Group, tables: np.ndarray, sets: np.ndarray, combined: np.ndarray) -> np.ndarray:
        """ln likelihood of each item with sets of one or two (N, W) in each of the states (C, W), (items, C, N), by
        tables over classes (items, K, K) in which repairs are mixed."""
        known = group.under.classes
        of_state = known.of_state[sets]
        if len(known.broken) < tables.shape[1]:
            of_state = of_state + len(known.broken) * (self._left.level * group.gone)[sets][:, :, None]
        last = of_state[:, -1, combined[:, -1]].T
        return np.asarray(tables[:, of_state[:, 0, combined[:, 0]].T if sets.shape[1] > 1 else HEALTHY, last])

    def _of_several(self, group: _Group, sets: np.ndarray, combined: np.ndarray, possible: np.ndarray) -> np.ndarray:
        """The same of sets of three or more, repairs mixed in, each item given those of the group before it; in states
        that are possible, (C, N), and anything in others."""
        return np.asarray(np.diff(self._so_far(group, sets, combined, possible), axis=0, prepend=0.0))

    def _so_far(self, group: _Group, sets: np.ndarray, combined: np.ndarray, possible: np.ndarray,
                last: bool = False) -> np.ndarray:
        """ln likelihood of the items of a group up to each of them with sets of three or more, repairs mixed in,
        (items, C, N), in possible states; last: of all of them alone, (1, C, N)."""
        wide = sets.shape[1]
        mended = group.gone[sets]
        of_state = group.under.classes.of_state[sets]
        of = np.stack([of_state[:, w, combined[:, w]].T for w in range(wide)], axis=-1)
        repaired = np.array(list(product((False, True), repeat=wide)) if mended.any() else [(False,) * wide])
        may_be = (mended | ~repaired[:, None, :]).all(axis=2)
        each = np.where(repaired[:, None, :], self._left.log_works[sets], self._left.log_fails[sets])
        log_repair = np.where(may_be, np.where(mended, each, 0.0).sum(axis=2), -np.inf)
        # Most combinations of states are none that a set can be in, and most ways none that its repairs can have gone.
        wanted = possible[:, None, :] & may_be
        state, way, place = np.nonzero(wanted)
        classes = np.where(repaired[way], HEALTHY, of[state, place])
        values = np.zeros((len(group.members), *wanted.shape))
        values[:, state, way, place] = self._of_classes(group, np.sort(classes, axis=-1))
        so_far = values.sum(axis=0)[None] if last else np.cumsum(values, axis=0)
        return np.asarray(so_far[:, :, 0]) if len(repaired) == 1 else log_sum(so_far + log_repair, axis=2)

    def _of_classes(self, group: _Group, classes: np.ndarray) -> np.ndarray:
        """ln likelihood of each item of a group under sets of three or more classes (M, W), each sorted, (items, M)."""
        known = group.under.classes
        number = np.ravel_multi_index(tuple(classes.T), (len(known.broken),) * classes.shape[1])
        distinct_number, place = np.unique(number, return_inverse=True)
        distinct = np.stack(np.unravel_index(distinct_number, (len(known.broken),) * classes.shape[1]), axis=1)
        # Sorted, so that where no more than two break anything the last two are they.
        several = np.flatnonzero((distinct[:, :-2] != HEALTHY).any(axis=1))
        broken = np.zeros((len(several), known.broken.shape[1]))
        for column in distinct[several].T:
            broken = both_broken(broken, known.broken[column])
        last = distinct[:, -1]
        before = distinct[:, -2]
        found = np.empty((len(group.members), len(distinct)))
        for e, k in enumerate(group.members):
            found[e] = self._tables[k][before, last]
            if len(several):
                found[e, several] = self.witnesses[k].of_broken(broken, "")
        return np.asarray(found[:, place.ravel()])


def _with_mended(table: np.ndarray, left: LeftByRepair) -> np.ndarray:
    """A table of ln likelihoods over pairs of classes (K, K) with those of mended faults after them, for each chance
    that a repair leaves one: (K + LK, K + LK) with L chances."""
    levels = [(math.log1p(-chance), math.log(chance)) for chance in left.chances]
    mended = np.concatenate([np.logaddexp(works + table[HEALTHY][None, :], fails + table) for works, fails in levels])
    both = [np.logaddexp(works + mended[:, [HEALTHY]], fails + mended) for works, fails in levels]
    return np.asarray(np.block([[table, mended.T], [mended, np.concatenate(both, axis=1)]]))
