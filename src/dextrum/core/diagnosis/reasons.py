"""Why a fault, or a part, is suspected: what each thing that was seen adds to its log-odds.

Readings of one piece of copper are one reason, over repairs and with parts off too: they share how far the copper is
off by itself, so none of them says much beside the others, and all of them together say all. A reason weighs what it
changes on average when it comes first, beside nothing but how often faults happen, and when it comes last, after all
else: of two things that say the same, each would be worth nothing beside the other, though together they convict. The
mean of the two ends stands for the mean over every order (L. S. Shapley, A value for n-person games, 1953), which
takes too long.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Method
from dextrum.core.circuit.network import GROUND
from dextrum.core.diagnosis.fault_pairs import FaultPairs, share_of_rows
from dextrum.core.diagnosis.hypotheses import NO_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.diagnosis.telling import EvidenceItem
from dextrum.core.diagnosis.witness import FunctionalWitness, LocatedWitness, SeenWitness

MOST_TOLD = 250
"""Sets of several faults that reasons are weighed over."""
SAME = 1e-6


@dataclass(frozen=True)
class Reason:
    """How much items that belong together move a suspect: difference in log-odds, positive when they speak for it."""

    items: tuple[EvidenceItem, ...]
    log_odds: float


def _log_odds(log_weight: np.ndarray, member: np.ndarray) -> np.ndarray:
    """Log-odds of member sets against the others; log_weight (E, K), member (K, S) boolean to (E, S)."""
    weight = np.exp(log_weight - log_weight.max(axis=1, keepdims=True))
    inside, outside = weight @ member.astype(float), weight @ (~member).astype(float)
    return np.asarray(np.log(np.maximum(inside, 1e-300)) - np.log(np.maximum(outside, 1e-300)))


@dataclass(frozen=True)
class _Told:
    """What reasons are weighed over: every single row, and the likeliest sets of several. rows: (N, 3); log_prior and
    log_posterior: (N,), but for one constant each; log_likelihood: of every item, (E, N)."""

    rows: np.ndarray
    log_prior: np.ndarray
    log_posterior: np.ndarray
    log_likelihood: np.ndarray


def _told(model: DiagnosisModel, posterior: Posterior) -> _Told:
    count = model.hypotheses.count
    several = np.flatnonzero(posterior.sets.rows[:, 1] != NO_ROW)[:MOST_TOLD]
    more = posterior.sets.rows[several]
    alone = np.full((count, 3), NO_ROW)
    alone[:, 0] = np.arange(count)
    agreed = np.zeros(len(posterior.sets.rows)) if posterior.ways is None else posterior.ways.log_more
    alone_agreed = np.zeros(count)
    ones = posterior.sets.rows[:, 1] == NO_ROW
    alone_agreed[posterior.sets.rows[ones, 0]] = agreed[ones]
    single = model.pairs.log_prior_one + posterior.evidence.of_rows.sum(axis=0) + alone_agreed - posterior.log_whole
    with np.errstate(divide="ignore"):
        joint = np.log(posterior.sets.weight[several] * posterior.covered)
    prior = _log_prior_of(model, posterior.evidence.pairs(model), more)
    found = np.hstack([posterior.evidence.of_rows, _items_of(model, posterior, more, joint - prior - agreed[several])])
    since = [k for k, witness in enumerate(posterior.evidence.witnesses) if witness.gone.any()]
    if since:  # What was seen last after a repair is what readings and trials had to agree with.
        found[since[-1]] += np.concatenate([alone_agreed, agreed[several]])
    return _Told(np.vstack([alone, more]), np.concatenate([model.pairs.log_prior_one, prior]),
                 np.concatenate([single, joint]), found)


def _items_of(model: DiagnosisModel, posterior: Posterior, sets: np.ndarray, joint: np.ndarray) -> np.ndarray:
    """ln likelihood of each item under sets of several rows (N, 3), (E, N), which adds up to `joint` (N,), but for what
    all sets weigh: what was seen at places as the posterior has it, solved, or taken from the fault that changes it
    more."""
    evidence = posterior.evidence
    found = np.zeros((len(evidence.items), len(sets)))
    if not len(sets):
        return found
    if evidence.functional is not None and evidence.functional.witnesses:
        found[[isinstance(w, FunctionalWitness) for w in evidence.witnesses]] = evidence.functional.items_of_sets(sets)
    for e, witness in enumerate(evidence.witnesses):
        if isinstance(witness, SeenWitness):
            found[e] = witness.of_sets(model, sets)
    member, places = sets != NO_ROW, np.flatnonzero([isinstance(w, LocatedWitness) for w in evidence.witnesses])
    once = np.zeros_like(found) if evidence.once is None else np.where(member, evidence.once[:, sets], 0.0).sum(axis=2)
    if len(places):
        once[places] = np.where((evidence.located.near[:, sets] & member).sum(axis=2) > 1, 0.0, once[places])
    joint = joint - once.sum(axis=0)
    found[places] = evidence.located.quick(model, sets)
    solved = np.flatnonzero(np.abs(found.sum(axis=0) - joint - posterior.log_whole) > SAME)
    found[places[:, None], solved] = evidence.located.each_of_sets(model, sets[solved])
    return found + once


def _log_prior_of(model: DiagnosisModel, pairs: FaultPairs, sets: np.ndarray) -> np.ndarray:
    """ln of the prior of sets of two or three rows (N, 3), (N,)."""
    three = sets[:, 2] != NO_ROW
    found = np.asarray(pairs.log_prior[sets[:, 0], sets[:, 1]], dtype=float).copy()
    if three.any():
        found[three] = pairs.log_triple_constant + share_of_rows(model.hypotheses)[sets[three]].sum(axis=1)
    return found


_Belongs = tuple[str, Method | None, int | str]


def _belongs_to(model: DiagnosisModel, k: int, item: EvidenceItem) -> _Belongs:
    """Readings of one piece of copper belong together, and those of one pair of points, whatever was off the board; all
    else stands alone."""
    if item.kind != "reading":
        return item.kind, None, k
    copper = model.copper.get(item.subject, GROUND)
    if item.method is None or not item.method.is_diode or copper < 0:
        return "through", item.method, item.subject
    return "copper", item.method, copper


def reasons(model: DiagnosisModel, posterior: Posterior, groups: Sequence[Sequence[int]]) -> list[tuple[Reason, ...]]:
    """What each reason adds to the log-odds that any fault of a group is there, the mean of coming first and coming
    last, over the likeliest sets; what speaks of functions, beyond those of its kind before it. Strongest first.
    groups: of fault indices."""
    evidence = posterior.evidence
    if not evidence.items or not groups:
        return [()] * len(groups)
    members: dict[_Belongs, list[int]] = {}
    for k, item in enumerate(evidence.items):
        members.setdefault(_belongs_to(model, k, item), []).append(k)
    told = _told(model, posterior)
    starts = np.cumsum([0, *(len(own) for own in members.values())])[:-1]
    own = np.add.reduceat(told.log_likelihood[[k for group in members.values() for k in group]], starts, axis=0)
    of = np.append(posterior.hypotheses.fault_of_row, NO_ROW - 1)[told.rows]
    member = np.stack([np.isin(of, group).any(axis=1) for group in groups], axis=1)
    before, after = (_log_odds(log_weight, member) for log_weight in (
        np.vstack([told.log_prior, told.log_posterior - own]), np.vstack([told.log_posterior, told.log_prior + own])))
    weights = ((after[1:] - before[0]) + (after[0] - before[1:])) / 2.0
    belonging = list(members.values())
    return [tuple(Reason(tuple(evidence.items[k] for k in belonging[g]), float(moved[g]))
                  for g in np.argsort(-np.abs(moved), kind="stable").tolist()) for moved in weights.T]


def reasons_of_parts(model: DiagnosisModel, posterior: Posterior, parts: tuple[str, ...]) -> dict[
        str, tuple[Reason, ...]]:
    """`reasons` of anything being wrong with each part."""
    faults = posterior.hypotheses.faults
    found = reasons(model, posterior, [[i for i, fault in enumerate(faults) if fault.part == part] for part in parts])
    return dict(zip(parts, found, strict=True))
