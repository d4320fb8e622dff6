"""Three faults, where two explain too little: the likeliest pairs with the rows that explain what they leave."""

from __future__ import annotations

from itertools import combinations

import numpy as np

from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.fault_pairs import share_of_rows
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NOTHING_ROW, distinct_sets
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.witness import LocatedWitness, SeenWitness

MOST_THIRDS, MOST_TRIPLES, LEAST_TRIPLE = 60, 600, 1e-4
SAME_DIGITS = 9
"""Digits of ln weight by which sets are put in order, so that of many equals the same are taken however sums round."""
LEAST_UNEXPLAINED = 0.3
"""Of an item's ln likelihood: what a third fault must be able to add before it is looked for."""


def weigh_triples(model: DiagnosisModel, evidence: Evidence, bases: np.ndarray, log_bases: np.ndarray, total: float,
                  exact: bool) -> tuple[np.ndarray, np.ndarray]:
    """Sets of three (N, 3) with ln of their weight (N,). bases: (B, 2) pairs and ln of their weight (B,); total: ln of
    all that singles and pairs weigh. exact: every set of three, whatever the bases."""
    pairs, share = evidence.pairs(model), share_of_rows(model.hypotheses)
    if not np.isfinite(pairs.log_triple_constant):
        return np.zeros((0, 3), dtype=int), np.zeros(0)
    if exact:
        rows = range(FIRST_FAULT_ROW, model.hypotheses.count)
        found = [s for s in combinations(rows, 3) if all(pairs.possible[a, b] for a, b in combinations(s, 2))]
        sets = np.array(found, dtype=int).reshape(-1, 3)
    else:
        sets = _with_one_more(model, evidence, bases, log_bases, total)
    prior = pairs.log_triple_constant + share[sets].sum(axis=1)
    return sets, _log_likelihood_of(model, evidence, sets) + prior if len(sets) else prior


def third_share(model: DiagnosisModel, evidence: Evidence) -> float:
    """What sets of three weigh beside pairs where the third fault is there for no reason: it explains nothing more, and
    loses what speaks against it. Every set of three has three pairs; twice over, for what one fault hides of another.
    """
    constant = evidence.pairs(model).log_triple_constant
    if not np.isfinite(constant):
        return 0.0
    gains = evidence.log_likelihood - evidence.log_likelihood[:, [NOTHING_ROW]]
    thirds = np.exp(share_of_rows(model.hypotheses) + np.minimum(gains, 0.0).sum(axis=0))
    return float(2.0 / 3.0 * np.exp(constant) / evidence.pairs(model).apart.constant * thirds.sum())


def _log_likelihood_of(model: DiagnosisModel, evidence: Evidence, sets: np.ndarray) -> np.ndarray:
    """Exact ln likelihood of sets (N, W) by all witnesses, (N,)."""
    found = evidence.located.of_sets(model, sets)
    if evidence.functional is not None:
        found += evidence.functional.of_sets(sets)
    for witness in evidence.witnesses:
        if isinstance(witness, SeenWitness):
            found += witness.of_sets(model, sets)
    return found


def _with_one_more(model: DiagnosisModel, evidence: Evidence, bases: np.ndarray, log_bases: np.ndarray,
                   total: float) -> np.ndarray:
    """The pairs each with those rows that roughly weigh most with them, (N, 3), each set once, MOST_TRIPLES at most.

    Roughly, a third fault adds what it explains better than the pair, and loses what speaks against it, but for what
    it would show at a place where the pair has part in what is seen as well: there it may be hidden.
    """
    pairs, share = evidence.pairs(model), share_of_rows(model.hypotheses)
    likelihood = evidence.log_likelihood
    # A row's gains side by side in memory, since whole rows are looked up.
    gains = np.ascontiguousarray((likelihood - likelihood[:, [NOTHING_ROW]]).T)
    against = np.minimum(gains, 0.0)
    losses = against.sum(axis=1)
    located = np.array([isinstance(w, LocatedWitness) for w in evidence.witnesses], dtype=bool)
    near, places = evidence.located.near, np.flatnonzero(located)
    highest = gains.max(axis=0, initial=0.0)
    least = total + np.log(LEAST_TRIPLE)
    explained = np.maximum(np.maximum(gains[bases[:, 0]], gains[bases[:, 1]]), 0.0)
    open_still = highest - explained > LEAST_UNEXPLAINED
    unexplained = np.where(open_still, highest - explained, 0.0).sum(axis=1)
    # What a row adds at most: all of what the pair leaves open, and nothing that may be hidden is against it.
    anywhere = open_still.any(axis=0)
    explains = open_still[:, anywhere].astype(float) @ np.maximum(gains[:, anywhere], 0.0).T
    without = share + against[:, ~located].sum(axis=1)
    beside = (log_bases - pairs.log_prior[bases[:, 0], bases[:, 1]] + pairs.log_triple_constant
              + share[bases[:, 0]] + share[bases[:, 1]])
    wanted = ((beside[:, None] + without + np.minimum(explains, unexplained[:, None]) > least)
              & pairs.possible[bases[:, 0]] & pairs.possible[bases[:, 1]])
    sets: list[np.ndarray] = []
    weights: list[np.ndarray] = []
    for k in np.flatnonzero(open_still.any(axis=1) & wanted.any(axis=1)).tolist():
        one, other = bases[k].tolist()
        items, rows = np.flatnonzero(open_still[k]), np.flatnonzero(wanted[k])
        hidden = np.flatnonzero(near[:, one] | near[:, other])
        more = (np.maximum(gains[np.ix_(rows, items)] - explained[k, items], 0.0).sum(axis=1) + losses[rows]
                - np.where(near[np.ix_(hidden, rows)], against[np.ix_(rows, places[hidden])].T, 0.0).sum(axis=0))
        more += beside[k] + share[rows]
        rows, more = rows[more > least], more[more > least]
        if len(rows) > MOST_THIRDS:
            kept = np.argsort(-np.round(more, SAME_DIGITS), kind="stable")[:MOST_THIRDS]
            rows, more = rows[kept], more[kept]
        sets.append(np.column_stack([np.full(len(rows), one), np.full(len(rows), other), rows]))
        weights.append(more)
    if not sets:
        return np.zeros((0, 3), dtype=int)
    found, weight = np.sort(np.concatenate(sets), axis=1), np.concatenate(weights)
    found = found[np.lexsort((*found.T[::-1], -np.round(weight, SAME_DIGITS)))]
    first = np.sort(distinct_sets(found, len(share))[0])
    return np.asarray(found[first[:MOST_TRIPLES]])
