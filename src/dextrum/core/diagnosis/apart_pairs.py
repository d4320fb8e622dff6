"""Pairs of faults that never meet in the circuit: what both read adds up, so all of them are weighed at once.

The matrix over pairs is symmetric and is worked through in blocks of rows that stay in a processor's cache, each from
the diagonal on; only sums over it and its largest entries are kept.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.witness import FunctionalWitness, SeenWitness

BLOCK = 96
ROOM = 20.0
"""How far above the expected largest an exponent may come before all that was summed is scaled down."""
Tables = Sequence[tuple[np.ndarray, np.ndarray]]


@dataclass(frozen=True)
class ApartPairs:
    """Weights are of exp(top). sums: (n,), of all pairs of each active row; total: of every pair once. first, second:
    (K,) places among the active rows of those that weigh more than asked, weight: (K,)."""

    sums: np.ndarray
    total: float
    first: np.ndarray
    second: np.ndarray
    weight: np.ndarray
    top: float


class _Terms:
    """ln likelihood of pairs of active rows, less `total`, as sums of parts: of functions by kinds of row, of each row
    alone, and of what was seen in the port, which counts once."""

    def __init__(self, evidence: Evidence, tables: Tables, active: np.ndarray, total: float, precision: type) -> None:
        common = -total
        own = np.zeros(len(active))
        self.shown: list[tuple[np.ndarray, np.ndarray]] = []
        for witness in evidence.witnesses:
            if isinstance(witness, FunctionalWitness):
                continue
            nothing = float(witness.rows[NOTHING_ROW])
            common += nothing
            own = own + (witness.rows[active] - nothing)
            if isinstance(witness, SeenWitness):
                for part in witness.shared:
                    shown: np.ndarray = np.where(witness.gone[active], 0.0, part[active]).astype(precision)
                    if shown.any():
                        self.shown.append(((shown != 0.0).astype(precision), shown))
        self.by_kind: list[tuple[np.ndarray, np.ndarray]] = []
        for k, (table, kind) in enumerate(tables):
            # The common part apart, so that single precision is not spent on it; one side's own is taken in here.
            common += float(table[0, 0])
            of = kind[active]
            columns = (table - table[0, 0]).astype(precision)[:, of]
            if not k:
                columns += own.astype(precision)
            self.by_kind.append((columns, of))
        if not tables:
            self.by_kind.append((own.astype(precision)[None, :], np.zeros(len(active), dtype=int)))
        self.own: np.ndarray = (own + common).astype(precision)

    def block(self, rows: slice, columns: slice, log_prior: np.ndarray) -> np.ndarray:
        (table, of), *others = self.by_kind
        found = table[:, columns][of[rows]]
        for table, of in others:
            found += table[of[rows], columns]
        found += self.own[rows][:, None]
        for there, shown in self.shown:
            here = np.flatnonzero(there[rows])
            if len(here):
                found[here] -= shown[None, columns]
        found += log_prior
        return np.asarray(found)


def weigh_apart(evidence: Evidence, tables: Tables, active: np.ndarray, log_prior: np.ndarray, total: float,
                least: float, most: int | None, precision: type) -> ApartPairs:
    """All pairs of `active` rows (n,). log_prior: (R, R), -inf where two meet or can't be together. total: ln of what
    the pairs are weighed against; of pairs of more than `least` of exp(total) the `most` likeliest are listed."""
    terms = _Terms(evidence, tables, active, total, precision)
    count = len(active)
    offset = len(log_prior) - count
    every = bool((active == np.arange(offset, len(log_prior))).all())
    sums, whole, above = np.zeros(count), 0.0, 0.0
    none = np.zeros(0, dtype=int)
    listed = (none, none, np.zeros(0))
    floor = least
    for start in range(0, count, BLOCK):
        rows, columns = slice(start, min(start + BLOCK, count)), slice(start, count)
        prior = log_prior[rows.start + offset:rows.stop + offset, start + offset:] if every \
            else log_prior[active[rows]][:, active[columns]]
        block = terms.block(rows, columns, prior)
        if above:
            block -= precision(above)
        highest = float(block.max(initial=-np.inf))
        if highest > ROOM:
            block -= precision(highest)
            scale = float(np.exp(-highest))
            sums *= scale
            whole *= scale
            listed = (listed[0], listed[1], listed[2] * scale)
            floor, above = floor * scale, above + highest
        np.exp(block, out=block)
        wide = rows.stop - start
        sums[rows] += block.sum(axis=1)
        beyond = block[:, wide:].sum(axis=0)
        sums[rows.stop:] += beyond
        whole += 0.5 * float(block[:, :wide].sum()) + float(beyond.sum(dtype=np.float64))
        first, second = np.divmod(np.flatnonzero(block > floor), block.shape[1])
        keep = first < second
        first, second = first[keep], second[keep]
        found = (first + start, second + start, block[first, second].astype(np.float64))
        listed = (np.append(listed[0], found[0]), np.append(listed[1], found[1]), np.append(listed[2], found[2]))
        if most is not None and len(listed[2]) > most:
            largest = np.argpartition(-listed[2], most - 1)[:most]
            listed = (listed[0][largest], listed[1][largest], listed[2][largest])
            floor = max(floor, float(listed[2].min()))
    return ApartPairs(sums, whole, *listed, total + above)
