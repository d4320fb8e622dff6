"""How the repairs of the likeliest sets have gone, by all that was seen since: one way for readings and trials alike.

What was seen at places and what was tried are weighed apart, each with its own mixture of repairs that have taken and
repairs that have failed (`repair_taken`, `functional_evidence`). Multiplied, the two need not agree: a contact that
reads as it should says that its joint has taken, and a unit that still does not charge on that side says that it has
not. Such a set explained both, and a port was changed four times for a leak on the line behind it. So each of the
likeliest sets with repairs is weighed once more with both under the same way, and counts for what all ways together
weigh; which ways those were is what remains of it.

A repair done more than once takes the first time, at a later one, or never: what was seen between the first and the
last then speaks of the fault as well.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import product

import numpy as np

from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.hypotheses import NO_ROW, Hypotheses
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.witness import FunctionalWitness, LocatedWitness, numbered
from dextrum.core.log_sum import log_sum_by_group

MOST_SPLIT = 256
"""Of so many of the likeliest sets it is asked which repairs have failed; of all others none has."""
MOST_REPAIRED = 2
"""Repairs of one part that may have failed; what reads the same after one more is how this board reads."""
LEAST_SPLIT = 1e-4
"""Of all that the listed sets weigh, from which a set is looked at: where readings and trials both say that a repair
has failed, it may weigh by one over that chance more, some fifty times, and should then be seen."""
AT_FIRST, LATER, NEVER = range(3)
"""When the repairs of a fault have taken it away."""


@dataclass(frozen=True)
class RepairWays:
    """source, kept, log_share: (X,), (X, 3), (X,), one for each way the repairs of a set may have gone: which set,
    which of its members are there still, and ln of its share of the set. log_more: (K,), ln of how much more each set
    weighs with readings and trials under the same way than with each under its own."""

    source: np.ndarray
    kept: np.ndarray
    log_share: np.ndarray
    log_more: np.ndarray

    def in_order(self, order: np.ndarray) -> RepairWays:
        """The same where the sets stand in another order (K,)."""
        return RepairWays(np.argsort(order)[self.source], self.kept, self.log_share, self.log_more[order])


@dataclass(frozen=True)
class _Since:
    """One state of repair: (R,) rows that were repaired by then, and those whose last repair was before it."""

    first: np.ndarray
    last: np.ndarray

    def there(self, sets: np.ndarray, taken: np.ndarray) -> np.ndarray:
        """Which members of sets (X, 3) were there, their repairs having taken as said."""
        return np.asarray(~self.first[sets] | ((taken != AT_FIRST) & ~self.last[sets]) | (taken == NEVER))


def repair_ways(model: DiagnosisModel, evidence: Evidence, sets: np.ndarray, weight: np.ndarray,
                every: bool = False) -> RepairWays:
    """Of sets (K, 3), likeliest first, and what each weighs, (K,). every: failures are looked for in all of them."""
    hypotheses = model.hypotheses
    repairs = np.zeros(hypotheses.count, dtype=int)
    for count in {repairs for *_, repairs in evidence.mended_last}:
        repairs[hypotheses.rows_mended(frozenset(f for f, _, n in evidence.mended_last if n == count))] = count
    member: np.ndarray = np.not_equal(sets, NO_ROW)
    mended = member & (repairs[sets] > 0)
    looked_at = mended.any(axis=1)
    if not every:
        looked_at &= (weight >= LEAST_SPLIT * weight.sum()) & (np.arange(len(sets)) < MOST_SPLIT)
    some = np.flatnonzero(looked_at)
    own, taken, log_prior = _ways(hypotheses, sets[some], np.where(member[some], repairs[sets[some]], 0))
    log_more, log_share = np.zeros(len(sets)), np.zeros(len(own))
    if len(some):
        stages = _stages(hypotheses, evidence)
        at_places = log_prior + _at_places(model, evidence, stages, sets[some], own, taken)
        together = at_places + _by_trials(evidence, stages, sets[some][own], taken)
        whole, apart = (log_sum_by_group(values, own, len(some)) for values in (together, at_places))
        log_more[some] = whole - apart - _trials_apart(evidence, sets[some])
        log_share = together - whole[own]
    # Of what was not looked at, all repairs have taken.
    rest = np.flatnonzero(~looked_at)
    kept = member[some][own] & (~mended[some][own] | (taken == NEVER))
    return RepairWays(np.concatenate([some[own], rest]), np.concatenate([kept, member[rest] & ~mended[rest]]),
                      np.concatenate([log_share, np.zeros(len(rest))]), log_more)


def _ways(hypotheses: Hypotheses, sets: np.ndarray, repairs: np.ndarray) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """All ways the repairs of sets (N, 3) may have gone: which set, (X,), when each member's have taken, (X, 3), and ln
    of the chance of it, (X,). repairs: (N, 3), how many each member had."""
    left = hypotheses.left
    fails, works = left.log_fails[sets], left.log_works[sets]
    never = np.where(repairs <= MOST_REPAIRED, repairs * fails, -np.inf)
    all_fail = np.where(repairs > MOST_REPAIRED, 0.0, np.exp((repairs - 1) * fails))
    later = np.where(repairs > 1, fails + np.log1p(-np.minimum(all_fail, 1.0 - 1e-12)), -np.inf)
    chance = np.where((repairs > 0)[None], np.stack([works, later, never]),
                      np.array([0.0, -np.inf, -np.inf])[:, None, None])
    every = np.array(list(product((AT_FIRST, LATER, NEVER), repeat=sets.shape[1])))
    log_chance = np.sum([chance[every[:, w], :, w] for w in range(sets.shape[1])], axis=0)
    pattern, source = np.nonzero(np.isfinite(log_chance))
    return source, every[pattern], np.asarray(log_chance[pattern, source])


def _stages(hypotheses: Hypotheses, evidence: Evidence) -> list[_Since]:
    """What was repaired by then, of each witness."""
    last = {epoch: hypotheses.rows_mended(frozenset(f for f, since, _ in evidence.mended_last if since <= epoch))
            for epoch in {item.epoch for item in evidence.items}}
    return [_Since(witness.gone, last[item.epoch])
            for item, witness in zip(evidence.items, evidence.witnesses, strict=True)]


def _at_places(model: DiagnosisModel, evidence: Evidence, stages: Sequence[_Since], sets: np.ndarray,
               source: np.ndarray, taken: np.ndarray) -> np.ndarray:
    """ln likelihood of what was seen at places since repairs, (X,), under ways: whose set of sets (N, 3), (X,), and
    when its repairs have taken, (X, 3); up to what is the same whichever way of a set it is."""
    found = np.zeros(len(source))
    of_places = [own for w, own in zip(evidence.witnesses, stages, strict=True) if isinstance(w, LocatedWitness)]
    for k, here, by_way in evidence.located.by_ways(model, sets):
        place = np.full(len(sets), NO_ROW)
        place[here] = np.arange(len(here))
        asked = np.flatnonzero(place[source] != NO_ROW)
        gone = ~of_places[k].there(sets[source[asked]], taken[asked])
        found[asked] += by_way[numbered(gone), place[source[asked]]]
    return found


def _by_trials(evidence: Evidence, of_each: Sequence[_Since], sets: np.ndarray, taken: np.ndarray) -> np.ndarray:
    """ln likelihood of all that was tried, under sets (X, 3) whose repairs have taken as said, (X,)."""
    stages: dict[tuple[bytes, bytes], int] = {}
    since: list[_Since] = []
    when: list[int] = []
    for own in (own for w, own in zip(evidence.witnesses, of_each, strict=True) if isinstance(w, FunctionalWitness)):
        key = own.first.tobytes(), own.last.tobytes()
        if key not in stages:
            stages[key] = len(since)
            since.append(own)
        when.append(stages[key])
    functional = evidence.functional
    if functional is None or not when:
        return np.zeros(len(sets))
    return _by_size(sets, lambda here, wide: functional.of_sets_where(
        sets[here, :wide], [own.there(sets[here, :wide], taken[here, :wide]) for own in since], when))


def _trials_apart(evidence: Evidence, sets: np.ndarray) -> np.ndarray:
    """ln likelihood of all that was tried under sets (N, 3), (N,), with a mixture of its own of how repairs have
    gone."""
    functional = evidence.functional
    return np.zeros(len(sets)) if functional is None or not functional.witnesses else _by_size(
        sets, lambda here, wide: functional.of_sets(sets[here, :wide]))


def _by_size(sets: np.ndarray, of: Callable[[np.ndarray, int], np.ndarray]) -> np.ndarray:
    """Of sets (N, 3) filled up with NO_ROW, (N,): `of` takes places of those of one size, and that size."""
    found = np.zeros(len(sets))
    several = (sets != NO_ROW).sum(axis=1)
    for wide in np.unique(several).tolist():
        here = np.flatnonzero(several == wide)
        found[here] = of(here, wide)
    return found
