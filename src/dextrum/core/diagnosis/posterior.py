"""The posterior over sets of faults: none, something else, one, two, and three where two explain too little.

All pairs are weighed. Faults that never meet in the circuit add up exactly; where they meet, what both read is first
taken from the one that changes more, and solved exactly from the network wherever that could weigh (`meeting_pairs`);
how much of the posterior rests on the rest is stated.

J. de Kleer and B. C. Williams, Diagnosing multiple faults, Artificial Intelligence 32 (1987).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from dextrum.core.board import Fault
from dextrum.core.diagnosis.apart_pairs import ApartPairs, weigh_apart
from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.hypotheses import NO_ROW, NOTHING_ROW, Hypotheses, distinct_sets
from dextrum.core.diagnosis.meeting_pairs import MeetingPairs, meeting_pairs
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.triples import SAME_DIGITS, third_share, weigh_triples
from dextrum.core.diagnosis.ways_of_repairs import RepairWays, repair_ways
from dextrum.core.diagnosis.what_remains import Remains, what_remains
from dextrum.core.diagnosis.witness import FunctionalWitness, SeenWitness
from dextrum.core.log_sum import log_sum

MOST_SETS = 700
THIRD_FROM, MOST_BASES = 5e-4, 64
LEAST_SET = 1e-6
"""Sets are listed as likely from so much of all that single faults weigh."""


@dataclass(frozen=True)
class FaultSets:
    """The likeliest sets, likeliest first. rows: (K, 3), NO_ROW where there are fewer; weight: (K,), adding up to 1."""

    rows: np.ndarray
    weight: np.ndarray

    def marginal(self, count: int) -> np.ndarray:
        """Chance of each of `count` rows being among what is wrong."""
        found = np.zeros(count)
        for column in self.rows.T:
            there = column != NO_ROW
            np.add.at(found, column[there], self.weight[there])
        return found

    def chance_of_any(self, rows: np.ndarray) -> float:
        """Chance that any of these rows, boolean (R,), is among what is wrong."""
        chosen = np.append(np.asarray(rows, dtype=bool), False)
        there = chosen[np.where(self.rows == NO_ROW, len(rows), self.rows)].any(axis=1)
        return float(self.weight[there].sum())


@dataclass(frozen=True)
class Posterior:
    """rows: (R,), chance that each row is what is wrong, alone or with others; those of 'nothing' and 'something else'
    are their own. sets: the likeliest sets. approximated: share of the posterior on pairs that meet and were not solved
    together; left_out: what sets of three that were not looked at weigh beside all that is in it, estimated from above;
    covered: share of the posterior that `sets` makes up; log_whole: ln of what all sets weigh. evidence is what it
    rests on. since_repair: the part after whose repair the board was weighed anew, empty where it wasn't; new_since:
    the chance that this repair, or one before it, has made something wrong. ways: how the repairs of each of the sets
    may have gone; None where nothing was repaired."""

    hypotheses: Hypotheses
    rows: np.ndarray
    evidence: Evidence
    sets: FaultSets
    approximated: float = 0.0
    left_out: float = 0.0
    covered: float = 1.0
    log_whole: float = 0.0
    since_repair: str = ""
    new_since: float = 0.0
    ways: RepairWays | None = None

    @property
    def nothing(self) -> float:
        return float(self.rows[NOTHING_ROW])

    @property
    def something_else(self) -> float:
        """Chance that something the pack doesn't list is at fault, alone or with others."""
        return float(self.rows[self.hypotheses.unlisted].sum())

    @cached_property
    def faults(self) -> np.ndarray:
        """Chance of each fault having been there, (F,)."""
        return self.hypotheses.per_fault(self.rows)

    @cached_property
    def faults_left(self) -> np.ndarray:
        """Chance of each fault being there still, (F,)."""
        return self.hypotheses.per_fault(self.remaining_rows())

    @cached_property
    def what_remains(self) -> Remains:
        """What is left after the repairs, and of which set it is left."""
        return what_remains(self)

    def remaining_sets(self) -> FaultSets:
        """What is left after the repairs, likeliest first."""
        return FaultSets(self.what_remains.rows, self.what_remains.weight)

    def chance_of_any(self, rows: np.ndarray) -> float:
        """Chance that what is left holds any of these rows, boolean (R,): by the sets, since two of them may be there
        together, and their chances then add up to more."""
        return self.remaining_sets().chance_of_any(rows)

    def likeliest_faults(self) -> tuple[tuple[int, ...], float]:
        """The likeliest set of faults, sizes apart, and its weight among the listed sets; empty where it is none."""
        of = np.sort(np.append(self.hypotheses.fault_of_row, NO_ROW)[self.sets.rows], axis=1)
        first, place = distinct_sets(of, len(self.hypotheses.faults))
        weights = np.bincount(place, weights=self.sets.weight)
        likeliest = int(weights.argmax())
        return tuple(int(f) for f in of[first[likeliest]] if f >= 0), float(weights[likeliest])

    def remaining_rows(self) -> np.ndarray:
        """Chance of each row being there still, (R,); 'nothing' is the chance that no fault is left."""
        return self.remaining_sets().marginal(self.hypotheses.count)


@dataclass(frozen=True)
class Suspect:
    """A fault and its chance of having been there. mended: repairs have already been made for it; still: chance that it
    is there after them."""

    fault: Fault
    index: int
    probability: float
    mended: bool
    still: float = 0.0


def _functional_tables(evidence: Evidence) -> list[tuple[np.ndarray, np.ndarray]]:
    """What functions say of pairs: a table over kinds of row, and the kind of every row; none without any evidence."""
    functional = evidence.functional
    return [] if functional is None or not functional.witnesses else [(functional.of_kinds, functional.kind)]


def _apart_of_meeting(model: DiagnosisModel, evidence: Evidence, tables: list[tuple[np.ndarray, np.ndarray]]) -> (
        np.ndarray):
    """ln weight of every pair that meets, (M,), prior included, as if the two did not, without the common part."""
    first, second = model.pairs.first, model.pairs.second
    found = evidence.pairs(model).log_prior_meeting.copy()
    for table, kind in tables:
        found += table.ravel().take((kind * len(table)).take(first) + kind.take(second))
    own = [not isinstance(witness, FunctionalWitness) for witness in evidence.witnesses]
    delta = evidence.log_likelihood[own].sum(axis=0)
    delta -= delta[NOTHING_ROW]
    for witness in evidence.witnesses:
        if isinstance(witness, SeenWitness):
            for part in witness.shared:
                shown = np.where(witness.gone, 0.0, part)
                found -= np.where(shown[first] != 0.0, shown[second], 0.0)
    return np.asarray(found + delta[first] + delta[second])


def weigh_sets(model: DiagnosisModel, evidence: Evidence, exact: bool = False) -> Posterior:
    """Bayes over sets of faults; the last few are kept. exact: nothing is pruned and every pair and triple is solved;
    for small boards."""
    if exact:
        return _weighed(model, evidence, exact)
    kept, key = model.memory.posteriors, evidence.key
    known = kept.get(key)
    if known is None or not np.array_equal(known.evidence.log_likelihood, evidence.log_likelihood):
        known = _weighed(model, evidence, exact)
    kept.keep(key, known)
    return known if known.evidence is evidence else replace(known, evidence=evidence)


def _weighed(model: DiagnosisModel, evidence: Evidence, exact: bool) -> Posterior:
    hypotheses, pairs = model.hypotheses, evidence.pairs(model)
    singles = pairs.log_prior_one + evidence.of_rows.sum(axis=0)
    total = float(log_sum(singles))
    base = sum(float(w.rows[NOTHING_ROW]) for w in evidence.witnesses if not isinstance(w, FunctionalWitness))
    tables = _functional_tables(evidence)
    meeting = meeting_pairs(model, evidence, _apart_of_meeting(model, evidence, tables) + base, singles, exact)
    apart = weigh_apart(evidence, tables, pairs.apart, 0.0 if exact else LEAST_SET, total, None if exact else MOST_SETS)
    top = apart.top
    one = np.exp(singles - top)
    met = np.exp(meeting.log_weight - top)
    rows = one + apart.sums + np.bincount(meeting.first, met, len(one)) + np.bincount(meeting.second, met, len(one))
    whole = float(one.sum() + apart.total + met.sum())
    sets = _likeliest(one, apart, meeting, met, exact)
    likely = np.flatnonzero((sets.weight >= THIRD_FROM * whole) & (sets.rows[:, 1] != NO_ROW))
    heaviest = -np.round(np.log(sets.weight[likely]), SAME_DIGITS)
    likely = likely[np.lexsort((*sets.rows[likely, 1::-1].T, heaviest))[:MOST_BASES]]
    members, values = weigh_triples(model, evidence, sets.rows[likely, :2], np.log(sets.weight[likely]) + top,
                                    float(np.log(whole)) + top, exact)
    if len(members):
        third = np.exp(values - top)
        for column in members.T:
            np.add.at(rows, column, third)
        whole += float(third.sum())
        joined = np.concatenate([sets.weight, third])
        order = np.argsort(-joined, kind="stable")[:None if exact else MOST_SETS]
        sets = FaultSets(np.vstack([sets.rows, members])[order], joined[order])
    ways = None
    if evidence.mended:
        ways = repair_ways(model, evidence, sets.rows, sets.weight, exact)
        agreed = sets.weight * np.exp(ways.log_more)
        more = agreed - sets.weight
        for column in sets.rows.T:
            np.add.at(rows, column[column != NO_ROW], more[column != NO_ROW])
        whole += float(more.sum())
        order = np.argsort(-agreed, kind="stable")
        sets, ways = FaultSets(sets.rows[order], agreed[order]), ways.in_order(order)
    approximated = float(met[~meeting.solved].sum())
    left_out = 0.0 if exact else (apart.total + float(met.sum())) * third_share(model, evidence)
    listed = float(sets.weight.sum())
    return Posterior(hypotheses, np.maximum(rows, 0.0) / whole, evidence, FaultSets(sets.rows, sets.weight / listed),
                     approximated / whole, left_out / whole, listed / whole, float(np.log(whole)) + top, ways=ways)


def _likeliest(one: np.ndarray, apart: ApartPairs, meeting: MeetingPairs, met: np.ndarray, every: bool) -> FaultSets:
    """The MOST_SETS likeliest of singles and pairs (or every one), unnormalised."""
    likely = np.arange(len(met))
    if len(met) > MOST_SETS and not every:
        likely = np.argpartition(-met, MOST_SETS)[:MOST_SETS]
    rows = np.vstack([np.stack([np.arange(len(one)), np.full(len(one), NO_ROW), np.full(len(one), NO_ROW)], axis=1),
                      np.stack([apart.first, apart.second, np.full(len(apart.first), NO_ROW)], axis=1),
                      np.stack([meeting.first[likely], meeting.second[likely], np.full(len(likely), NO_ROW)], axis=1)])
    joined = np.concatenate([one, apart.weight, met[likely]])
    order = np.argsort(-joined, kind="stable")[:None if every else MOST_SETS]
    return FaultSets(rows[order], joined[order])


def suspects(posterior: Posterior, most: int = 8, least: float = 0.004) -> tuple[Suspect, ...]:
    """The likeliest faults, most likely first; ties keep the board's order."""
    chances = np.where(posterior.hypotheses.listed, posterior.faults, 0.0)
    order = np.argsort(-chances, kind="stable")[:most]
    return tuple(suspect_of(posterior, int(i)) for i in order if chances[i] >= least)


def suspect_of(posterior: Posterior, index: int) -> Suspect:
    """One fault as a suspect, whatever its chance."""
    fault = posterior.hypotheses.faults[index]
    mended = fault.id in posterior.evidence.mended_ids
    # Weighed as the board left its repair, a fault of that part is there after it, as before or anew.
    after = float(posterior.faults[index]) if fault.part == posterior.since_repair else 0.0
    still = float(posterior.faults_left[index]) if mended else after
    return Suspect(fault, index, float(posterior.faults[index]), mended, still)
