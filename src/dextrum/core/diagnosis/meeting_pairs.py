"""Pairs of faults that meet in the circuit: which of them have to be solved together.

Two faults may explain together what neither does by itself: contacts that cross two lines hide that one of them has
parted further on. There are tens of thousands of such pairs. Where the single faults leave a reading a surprise, a pair
may explain it as well as anything could; elsewhere it says what they say. That bounds what a pair can weigh, and the
pairs are taken in the order of their bounds: the surprises are solved first, and of those that explain them the rest
(branch and bound: A. H. Land and A. G. Doig, Econometrica 28, 1960).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.diagnosis.evidence import Evidence
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.log_sum import log_sum

LEAST_SURPRISE_NATS = 3.0
"""By how much what was seen must be likelier for anything to be looked for that explains it: a normal reading is as far
off once in seventy."""
MOST_SURPRISES = 4
"""So many are solved of every pair that is looked at, the greatest."""
EXACT_FROM, EXACT_UNSURPRISED_FROM = 2e-4, 5e-3
"""Share of what single faults weigh, from which a pair is solved: where they leave a surprise, and where they explain
all that was seen."""
MOST_AT_ONCE, MOST_LOOKED, MOST_EXACT = 240, 720, 80
"""Pairs that are looked at in one go, in all, and solved wholly: what takes a tenth of a second at most, once."""
SAME_NATS = 5.0
"""Once what was found weighs within this of the bound of the rest, the rest is left."""


@dataclass(frozen=True)
class MeetingPairs:
    """first, second (M,) rows; log_weight (M,), prior included; solved (M,) exactly."""

    first: np.ndarray
    second: np.ndarray
    log_weight: np.ndarray
    solved: np.ndarray


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
    beyond = [witness.beyond_apart(model) for witness in evidence.located.witnesses]
    here, alone, larger = (np.concatenate(column) for column in zip(*beyond, strict=True))
    log_weight = apart + np.bincount(here, larger - alone, len(first))
    solved = np.ones(len(first), dtype=bool)
    solved[here] = False
    if exact:
        wanted = np.flatnonzero(~solved | pairs.spans_meeting)
        log_weight[wanted] = apart[wanted] + evidence.located.together(
            model, np.column_stack([first[wanted], second[wanted]]))
        return MeetingPairs(first, second, log_weight, np.ones(len(first), dtype=bool))
    bounds = _bounds(evidence, apart, beyond, np.exp(singles - total))
    threshold = total + float(np.log(EXACT_FROM if len(bounds.surprises) else EXACT_UNSURPRISED_FROM))
    wanted = np.flatnonzero(~solved & (pairs.cuts_meeting | pairs.spans_meeting) & (bounds.log_weight > threshold))
    wanted = wanted[np.argsort(-bounds.log_weight[wanted], kind="stable")][:MOST_LOOKED]
    left, found = MOST_EXACT, total
    for start in range(0, len(wanted), MOST_AT_ONCE):
        if not left or bounds.log_weight[wanted[start]] < (found + SAME_NATS if start else threshold):
            break
        some = wanted[start:start + MOST_AT_ONCE]
        could = bounds.log_weight[some] - bounds.of_surprises[some] + evidence.located.beyond_of(
            model, np.column_stack([first[some], second[some]]), bounds.surprises)
        order = np.argsort(-could, kind="stable")[:min(left, int((could > threshold).sum()))]
        some = some[order]
        left -= len(some)
        log_weight[some] = apart[some] + evidence.located.together(model, np.column_stack([first[some], second[some]]))
        solved[some] = True
        if len(some):
            found = float(np.logaddexp(found, log_sum(log_weight[some])))
    return MeetingPairs(first, second, log_weight, solved)


def _bounds(evidence: Evidence, apart: np.ndarray, beyond: list[tuple[np.ndarray, np.ndarray, np.ndarray]],
            chance: np.ndarray) -> _Bounds:
    """beyond: of each witness, as `LocatedWitness.beyond_apart`; chance: of the single faults, (R,)."""
    witnesses = evidence.located.witnesses
    usual = np.array([float(chance @ witness.rows) for witness in witnesses])
    most = np.array([witness.at_most for witness in witnesses])
    surprise = most - usual
    most = np.where(surprise > LEAST_SURPRISE_NATS, most, usual)
    surprises = np.argsort(-surprise, kind="stable")[:min(int((surprise > LEAST_SURPRISE_NATS).sum()), MOST_SURPRISES)]
    here, alone, larger = (np.concatenate(column) for column in zip(*beyond, strict=True))
    at_most = np.maximum(np.repeat(most, [len(places) for places, _, _ in beyond]), larger)
    of_surprises = np.zeros(len(apart))
    for k in surprises.tolist():
        places, own, more = beyond[k]
        of_surprises[places] += np.maximum(most[k], more) - own
    return _Bounds(apart + np.bincount(here, at_most - alone, len(apart)), of_surprises, surprises)
