"""What one observation says of sets of faults, as it says it of single rows.

A set's likelihood is exact: readings where faults meet are solved from the network with all their edits, functions are
broken by noisy-OR, and a fault that a repair was meant to take away is weighed both ways.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np
from scipy.special import logsumexp

from dextrum.core.board import Method
from dextrum.core.diagnosis.functional_classes import HEALTHY, both_broken
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.joint_predictions import Rows, joint_values
from dextrum.core.diagnosis.likelihood import SharedDeviation, expected_of, log_density, with_reading

if TYPE_CHECKING:
    from dextrum.core.diagnosis.model import DiagnosisModel

REPAIR_FAILS = 0.04
"""Chance that a repair leaves the fault it was meant for."""


def mixed_by_repair(row: np.ndarray, gone: np.ndarray) -> np.ndarray:
    """A row vector (R,) after repairs: rows that were mended mostly say what a healthy board says."""
    if not gone.any():
        return row
    healthy = np.log(1 - REPAIR_FAILS) + row[NOTHING_ROW]
    return np.where(gone, np.logaddexp(healthy, np.log(REPAIR_FAILS) + row), row)


@dataclass(frozen=True)
class Witness:
    """gone: (R,) rows mended before it. rows: (R,) ln likelihood under each single row, repairs mixed in."""

    gone: np.ndarray
    rows: np.ndarray

    def raw(self, model: DiagnosisModel, sets: Sequence[Rows]) -> np.ndarray:
        """ln likelihood under sets of rows that are all there, (N,)."""
        raise NotImplementedError

    def of_sets(self, model: DiagnosisModel, sets: Sequence[Rows]) -> np.ndarray:
        """ln likelihood under sets, (N,), each mended fault there still with the chance that its repair has failed."""
        found = np.empty(len(sets))
        plain = [k for k, rows in enumerate(sets) if not any(self.gone[r] for r in rows)]
        if plain:
            found[plain] = self.raw(model, [sets[k] for k in plain])
        mixed = [k for k in range(len(sets)) if k not in set(plain)]
        parts: list[Rows] = []
        weights: list[float] = []
        spans: list[tuple[int, int]] = []
        for k in mixed:
            rows = sets[k]
            mended = [r for r in rows if self.gone[r]]
            start = len(parts)
            for still in range(len(mended) + 1):
                for left in combinations(mended, still):
                    parts.append(tuple(r for r in rows if r not in mended or r in left))
                    weights.append(still * np.log(REPAIR_FAILS) + (len(mended) - still) * np.log(1 - REPAIR_FAILS))
            spans.append((start, len(parts)))
        if parts:
            values = self.raw(model, parts) + np.array(weights)
            for k, (start, end) in zip(mixed, spans, strict=True):
                found[k] = logsumexp(values[start:end])
        return found


@dataclass(frozen=True)
class ReadingWitness(Witness):
    """before: what the same copper read before it. unmended: (R,) ln likelihood with no repair mixed in; size: (R,) how
    far each row's prediction is from a good board's on the comparing scale, 0 where it has no part in it, large for OL.
    """

    point: str
    method: Method
    value: float
    touches: int
    before: tuple[tuple[str, float], ...]
    unmended: np.ndarray
    size: np.ndarray

    def raw(self, model: DiagnosisModel, sets: Sequence[Rows]) -> np.ndarray:
        shared = SharedDeviation(np.zeros(len(sets)), np.zeros(len(sets))) if self.before else None
        for name, value in self.before:
            values, touched = joint_values(model, sets, name, self.method)
            assert shared is not None
            shared = with_reading(expected_of(model, name, self.method, values, touched), shared, value)
        values, touched = joint_values(model, sets, self.point, self.method)
        expected = expected_of(model, self.point, self.method, values, touched)
        return log_density(expected, self.method, self.value, self.touches, shared)


    def of_larger(self, first: np.ndarray, second: np.ndarray) -> np.ndarray:
        """ln likelihood under pairs of rows that both touch the point, (M,): what the one says that changes it more."""
        one, other = self.unmended[first], self.unmended[second]
        larger = np.where(self.size[first] >= self.size[second], one, other)
        gone_one, gone_other = self.gone[first], self.gone[second]
        if not (gone_one.any() or gone_other.any()):
            return np.asarray(larger)
        works, fails = np.log(1 - REPAIR_FAILS), np.log(REPAIR_FAILS)
        # The second is there, or mended; and within each, so is the first.
        with_other = np.where(gone_one, np.logaddexp(works + other, fails + larger), larger)
        nothing = np.full(len(first), float(self.unmended[NOTHING_ROW]))
        without = np.where(gone_one, np.logaddexp(works + nothing, fails + one), one)
        return np.asarray(np.where(gone_other, np.logaddexp(works + without, fails + with_other), with_other))


OfBroken = Callable[[np.ndarray, str], np.ndarray]


@dataclass(frozen=True)
class FunctionalWitness(Witness):
    """of_broken: ln likelihood of N sets by what they break, (N, functions) to (N,). key: what that depends on."""

    of_broken: OfBroken = field(repr=False)
    key: tuple[object, ...] = ()

    def raw(self, model: DiagnosisModel, sets: Sequence[Rows]) -> np.ndarray:
        broken = np.zeros((len(sets), model.broken.shape[1]))
        for k, rows in enumerate(sets):
            for row in rows:
                broken[k] = both_broken(broken[k], model.broken[row])
        return self.of_broken(broken, "")

    def classes(self, model: DiagnosisModel) -> np.ndarray:
        """(K, K) ln likelihood of every pair of classes; one alone is beside the healthy class."""
        classes = model.classes
        return np.asarray(self.of_broken(classes.pair_broken, "classes")[classes.pair_place])

    def of_row_pairs(self, model: DiagnosisModel, rows: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """A matrix over kinds of row, and the kind of each of `rows`: a kind is a class, and whether it was mended."""
        own, gone = model.classes.of_row[rows], self.gone[rows]
        if not self.gone.any():
            return self.classes(model), own
        table = model.remembered((*self.key, "mended"), lambda: self._with_mended(model))
        assert table is not None
        return table, own + len(model.classes.broken) * gone

    def _with_mended(self, model: DiagnosisModel) -> np.ndarray:
        """The table over classes with mended ones beside them, (2K, 2K)."""
        table = self.classes(model)
        mended = np.logaddexp(np.log(1 - REPAIR_FAILS) + table[HEALTHY][None, :], np.log(REPAIR_FAILS) + table)
        both = np.logaddexp(np.log(1 - REPAIR_FAILS) + mended[:, [HEALTHY]], np.log(REPAIR_FAILS) + mended)
        return np.asarray(np.block([[table, mended.T], [mended, both]]))


@dataclass(frozen=True)
class SeenWitness(Witness):
    """What was seen or felt at the port. shared: (S, R) parts of ln likelihood that count once however many faults show
    them; the rest adds up."""

    shared: np.ndarray

    def raw(self, model: DiagnosisModel, sets: Sequence[Rows]) -> np.ndarray:
        return self.of_sets(model, sets)

    def of_sets(self, model: DiagnosisModel, sets: Sequence[Rows]) -> np.ndarray:
        base = float(self.rows[NOTHING_ROW])
        found = np.full(len(sets), base)
        for k, rows in enumerate(sets):
            members = list(rows)
            found[k] += float((self.rows[members] - base).sum())
            for part in self.shared:
                shown = [float(part[r]) for r in members if part[r] != 0.0 and not self.gone[r]]
                found[k] -= sum(shown[1:])
        return found
