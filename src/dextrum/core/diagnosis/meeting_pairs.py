"""Pairs of faults that meet in the circuit: which of them have to be solved together.

Two faults may explain together what neither does by itself: contacts that cross two lines hide that one of them has
parted further on. There are tens of thousands of such pairs. Those that weigh by what is said of them fault by fault
are solved first. Then, where the single faults leave a reading a surprise, a pair may explain it as well as anything
could; elsewhere it is taken to say what they say. In the order of what they could weigh by that, the surprises are
solved, and of the pairs that explain them the rest: branch and bound (A. H. Land and A. G. Doig, Econometrica 28,
1960), with a bound that holds but for what a pair says better than single faults where these leave no surprise.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.witness import LocatedWitness
from dextrum.core.log_sum import log_sum

LEAST_SURPRISE_NATS = 3.0
"""By how much what was seen must be likelier for anything to be looked for that explains it: a normal reading is as far
off once in seventy."""
MOST_SURPRISES = 4
"""So many are solved of every pair that is looked at, the greatest."""
EXACT_FROM, EXACT_UNSURPRISED_FROM = 2e-4, 5e-3
"""Share of what single faults weigh, from which a pair is solved: where they leave a surprise, and where they explain
all that was seen."""
MOST_LIKELY, MOST_AT_ONCE, MOST_LOOKED, MOST_EXACT = 80, 240, 720, 80
"""Pairs that are solved because they weigh by what is said fault by fault; that are looked at in one go, and in all;
and of those that are solved wholly. That takes a tenth of a second at most, once."""
LEAST_GAIN_NATS = 5.0
"""What is left is looked at only while it could weigh by so much more than all that was found."""


@dataclass(frozen=True)
class MeetingPairs:
    """first, second (M,) rows; log_weight (M,), prior included; solved (M,) exactly."""

    first: np.ndarray
    second: np.ndarray
    log_weight: np.ndarray
    solved: np.ndarray


@dataclass(frozen=True)
class _Said:
    """What witnesses say of pairs of which both faults have part in what was seen, one after the other, (K,): place of
    the pair, number of the witness, ln likelihood of the two by themselves added up, and of the one that changes it
    more."""

    here: np.ndarray
    by: np.ndarray
    alone: np.ndarray
    larger: np.ndarray


@dataclass(frozen=True)
class _Bounds:
    """What every pair weighs at most, (M,); what of that comes from the surprises, (M,); and which witnesses those are,
    the greatest first."""

    log_weight: np.ndarray
    of_surprises: np.ndarray
    surprises: np.ndarray


def meeting_pairs(model: DiagnosisModel, evidence: Evidence, apart: np.ndarray, singles: np.ndarray,
                  exact: bool) -> MeetingPairs:
    """Every pair whose faults meet. apart: ln weight of each as if they did not, (M,); singles: ln weight of every row
    alone, (R,). exact: all of them are solved; for small boards."""
    pairs = evidence.pairs(model)
    first, second = pairs.first, pairs.second
    if not evidence.located.witnesses:
        return MeetingPairs(first, second, apart, np.ones(len(first), dtype=bool))
    total = float(log_sum(singles))
    said = _said(model, evidence.located.witnesses)
    once = evidence.located.once_at_pairs(said.by, said.here, first, second)
    log_weight = apart + np.bincount(said.here, said.larger - said.alone - once, len(first))
    solved = np.ones(len(first), dtype=bool)
    solved[said.here] = False
    if exact:
        wanted = np.flatnonzero(~solved | pairs.spans_meeting)
        log_weight[wanted] = apart[wanted] + evidence.located.together(
            model, np.column_stack([first[wanted], second[wanted]]))
        return MeetingPairs(first, second, log_weight, np.ones(len(first), dtype=bool))
    bounds = _bounds(evidence.located.witnesses, apart, said, np.exp(singles - total))
    share = float(np.log(EXACT_FROM if len(bounds.surprises) else EXACT_UNSURPRISED_FROM))
    open_still = ~solved & (pairs.cuts_meeting | pairs.spans_meeting)

    def solve(some: np.ndarray) -> None:
        log_weight[some] = apart[some] + evidence.located.together(model, np.column_stack([first[some], second[some]]))
        solved[some] = True
        open_still[some] = False

    # What weighs already by what is said of it comes first, whatever others could weigh.
    likely = _in_order(open_still, log_weight, total + share)[:MOST_LIKELY]
    solve(likely)
    found = float(log_sum(np.append(log_weight[likely], total)))
    wanted = _in_order(open_still, bounds.log_weight, found + share)[:MOST_LOOKED]
    left = MOST_EXACT
    for start in range(0, len(wanted), MOST_AT_ONCE):
        if not left or (start and bounds.log_weight[wanted[start]] < found + LEAST_GAIN_NATS):
            break
        some = wanted[start:start + MOST_AT_ONCE]
        could = np.full(len(first), -np.inf)
        could[some] = bounds.log_weight[some] - bounds.of_surprises[some] + evidence.located.beyond_of(
            model, np.column_stack([first[some], second[some]]), bounds.surprises)
        some = _in_order(open_still, could, found + share)[:left]
        left -= len(some)
        solve(some)
        found = float(log_sum(np.append(log_weight[some], found)))
    return MeetingPairs(first, second, log_weight, solved)


def _in_order(of: np.ndarray, log_weight: np.ndarray, least: float) -> np.ndarray:
    """Places in `of` (M,) that weigh more than `least`, the heaviest first."""
    places = np.flatnonzero(of & (log_weight > least))
    return places[np.argsort(-log_weight[places], kind="stable")]


def _said(model: DiagnosisModel, witnesses: Sequence[LocatedWitness]) -> _Said:
    """witnesses: one at least."""
    each = [witness.beyond_apart(model) for witness in witnesses]
    here, alone, larger = (np.concatenate(column) for column in zip(*each, strict=True))
    return _Said(here, np.repeat(np.arange(len(each)), [len(places) for places, _, _ in each]), alone, larger)


def _bounds(witnesses: Sequence[LocatedWitness], apart: np.ndarray, said: _Said, chance: np.ndarray) -> _Bounds:
    """chance: of the single faults, (R,)."""
    usual = np.array([float(chance @ witness.rows) for witness in witnesses])
    most = np.array([witness.at_most for witness in witnesses])
    surprise = most - usual
    surprises = np.argsort(-surprise, kind="stable")[:min(int((surprise > LEAST_SURPRISE_NATS).sum()), MOST_SURPRISES)]
    most = np.where(surprise > LEAST_SURPRISE_NATS, most, usual)
    gain = np.maximum(most[said.by], said.larger) - said.alone
    surprising = np.isin(said.by, surprises)
    return _Bounds(apart + np.bincount(said.here, gain, len(apart)),
                   np.bincount(said.here[surprising], gain[surprising], len(apart)), surprises)
