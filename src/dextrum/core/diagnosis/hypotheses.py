"""The rows that everything is weighed over: nothing wrong, something else, and every variant of every fault.

Variants of one fault are rows of their own, so that evidence adds up row by row; they are summed per fault at
the end. Sets of two and three faults will be further rows with the same columns.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from dextrum.core.assumptions.stated import as_stated
from dextrum.core.board import UNLISTED_PART, Board, Fault
from dextrum.core.faults.listing import enumerate_faults, unlisted_faults
from dextrum.core.faults.registry import KINDS

NOTHING_ROW = 0
SOMETHING_ELSE_ROW = 1
FIRST_FAULT_ROW = 2
NO_ROW = -1
"""Fills up a set of rows that has fewer than others beside it."""


@dataclass(frozen=True)
class LeftByRepair:
    """log_fails, log_works: (R,), ln of the chance that a repair leaves a row, and that it doesn't. level: (R,), which
    of `chances` that is, from 1; 0 stands for what no repair has touched."""

    log_fails: np.ndarray
    log_works: np.ndarray
    level: np.ndarray
    chances: tuple[float, ...]


@dataclass(frozen=True)
class Hypotheses:
    """faults: F of them. fault_of_row: (R,), -1 for the first two rows. ohms: (R,). log_prior: (R,). left_of_fault:
    chance that a repair leaves each fault, (F + 1,), last that of what is no fault."""

    faults: tuple[Fault, ...]
    fault_of_row: np.ndarray
    ohms: np.ndarray
    log_prior: np.ndarray
    left_of_fault: np.ndarray

    @cached_property
    def unlisted(self) -> np.ndarray:
        """Rows of what no part of the pack explains, boolean (R,)."""
        found = np.array([fault.part == UNLISTED_PART for fault in self.faults] + [False])[self.fault_of_row]
        found[SOMETHING_ELSE_ROW] = True
        return np.asarray(found)

    @cached_property
    def listed(self) -> np.ndarray:
        """Faults that are of a part of the pack, boolean (F,)."""
        return np.array([fault.part != UNLISTED_PART for fault in self.faults], dtype=bool)

    @cached_property
    def parts(self) -> tuple[tuple[str, ...], np.ndarray]:
        """Parts that may be at fault, in the order of their faults, and each fault's among them, (F,)."""
        place: dict[str, int] = {}
        of = [place.setdefault(fault.part, len(place)) for fault in self.faults]
        return tuple(place), np.array(of, dtype=int)

    @cached_property
    def left(self) -> LeftByRepair:
        """What repairs leave, by kind of fault."""
        chance = self.left_of_fault[self.fault_of_row]
        chances, level = np.unique(chance, return_inverse=True)
        return LeftByRepair(np.log(chance), np.log1p(-chance), level.ravel() + 1, tuple(chances.tolist()))

    @property
    def count(self) -> int:
        return len(self.fault_of_row)

    def per_fault(self, rows: np.ndarray) -> np.ndarray:
        """Sums of a row quantity (R,) per fault, shape (F,)."""
        return np.bincount(self.fault_of_row[FIRST_FAULT_ROW:], weights=rows[FIRST_FAULT_ROW:],
                           minlength=len(self.faults))

    def rows_mended(self, mended: frozenset[str]) -> np.ndarray:
        """Boolean (R,): rows whose fault id is in the set."""
        hit = np.zeros(len(self.faults) + 1, dtype=bool)
        hit[[self._place[fault] for fault in mended if fault in self._place]] = True
        return np.asarray(hit[self.fault_of_row])

    def rows_of_part(self, part: str) -> np.ndarray:
        """Boolean (R,): rows whose fault is in that part."""
        return self.rows_mended(frozenset(fault.id for fault in self.by_part.get(part, ())))

    @cached_property
    def by_part(self) -> Mapping[str, tuple[Fault, ...]]:
        """The faults of each part, in their order."""
        found: dict[str, list[Fault]] = {}
        for fault in self.faults:
            found.setdefault(fault.part, []).append(fault)
        return {part: tuple(own) for part, own in found.items()}

    @cached_property
    def _place(self) -> dict[str, int]:
        return {fault.id: place for place, fault in enumerate(self.faults)}


def distinct_sets(sets: np.ndarray, count: int) -> tuple[np.ndarray, np.ndarray]:
    """Of sets (N, W) of numbers from NO_ROW to below `count`: where each different one first is, and which one each is,
    (N,). One number a set sorts quicker than rows of three."""
    number = np.ravel_multi_index(tuple((sets - NO_ROW).T), (count + 1,) * sets.shape[1])
    _, first, place = np.unique(number, return_index=True, return_inverse=True)
    return first, place.ravel()


def _sure_of(board: Board, fault: Fault) -> float:
    return min((board.sureness.get(f"{fault.part}.{name}", 1.0) for name in fault.terminals), default=1.0)


def build_hypotheses(board: Board, factors: Mapping[str, float] | None = None) -> Hypotheses:
    """All single-fault rows of a board with priors that add up to 1. factors: on the pack's rates, by part. A fault at
    an end whose net is not sure counts as far as it is: elsewhere it would be another fault."""
    listed, unlisted = enumerate_faults(board), unlisted_faults(board)
    faults = listed + unlisted if listed else ()
    fault_of_row = [-1, -1]
    ohms = [0.0, 0.0]
    weights = [0.0, 0.0]
    for index, fault in enumerate(faults):
        for size, share in fault.variants:
            fault_of_row.append(index)
            ohms.append(size)
            weights.append(fault.weight * share * (factors or {}).get(fault.part, 1.0) * _sure_of(board, fault))
    weight = np.array(weights)
    alone = np.array([False, False] + [faults[i].part == UNLISTED_PART for i in fault_of_row[2:]])
    total = float(weight[~alone].sum())
    rest = 1.0 - board.prior_nothing - board.prior_something_else
    prior = weight * (rest / total) if total > 0 else weight
    prior[NOTHING_ROW] = board.prior_nothing
    prior[SOMETHING_ELSE_ROW] = board.prior_something_else if total > 0 else 1.0 - board.prior_nothing
    if alone.any():
        # Half of what nobody lists breaks one function and reads well; the other half may do anything.
        breaks_one = as_stated(board, "breaks_one")
        prior[SOMETHING_ELSE_ROW] *= 1.0 - breaks_one
        prior[alone] = board.prior_something_else * breaks_one * weight[alone] / weight[alone].sum()
    with np.errstate(divide="ignore"):
        return Hypotheses(faults, np.array(fault_of_row), np.array(ohms), np.log(prior), np.array(
            [as_stated(board, KINDS[fault.kind].left_by_repair) for fault in faults]
            + [as_stated(board, "repair_fails")]))
