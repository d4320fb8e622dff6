"""The posterior over the hypothesis rows, and what each entry adds to a suspect's log-odds.

J. de Kleer and B. C. Williams, Diagnosing multiple faults, Artificial Intelligence 32 (1987).
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.board import Fault
from dextrum.core.diagnosis.evidence import Evidence, EvidenceItem
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW, SOMETHING_ELSE_ROW, Hypotheses


@dataclass(frozen=True)
class Posterior:
    """rows: (R,), adding up to 1. evidence is what it rests on."""

    hypotheses: Hypotheses
    rows: np.ndarray
    evidence: Evidence

    @property
    def nothing(self) -> float:
        return float(self.rows[NOTHING_ROW])

    @property
    def something_else(self) -> float:
        return float(self.rows[SOMETHING_ELSE_ROW])

    @property
    def faults(self) -> np.ndarray:
        """Chance of each fault having been there, (F,)."""
        return self.hypotheses.per_fault(self.rows)

    def remaining_rows(self) -> np.ndarray:
        """Chance of each row with what repairs took away moved to the 'nothing' row, (R,)."""
        gone = self.hypotheses.rows_mended(self.evidence.mended_ids)
        rows = np.where(gone, 0.0, self.rows)
        rows[NOTHING_ROW] += float(self.rows[gone].sum())
        return rows


@dataclass(frozen=True)
class Suspect:
    """A fault and its chance. mended: repairs have already been made for it."""

    fault: Fault
    index: int
    probability: float
    mended: bool


@dataclass(frozen=True)
class Reason:
    """How much one item moved a suspect: difference in log-odds, positive when it speaks for it."""

    item: EvidenceItem
    log_odds: float


def posterior_over_rows(hypotheses: Hypotheses, evidence: Evidence) -> Posterior:
    """Bayes over all rows."""
    log_weight = hypotheses.log_prior + evidence.log_likelihood.sum(axis=0)
    log_weight = log_weight - log_weight.max()
    rows = np.exp(log_weight)
    return Posterior(hypotheses, rows / rows.sum(), evidence)


def suspects(posterior: Posterior, most: int = 8, least: float = 0.004) -> tuple[Suspect, ...]:
    """The likeliest faults, most likely first; ties keep the board's order."""
    chances = posterior.faults
    order = np.argsort(-chances, kind="stable")[:most]
    return tuple(Suspect(posterior.hypotheses.faults[i], int(i), float(chances[i]),
                         posterior.hypotheses.faults[i].id in posterior.evidence.mended_ids)
                 for i in order if chances[i] >= least)


def _log_odds(log_weight: np.ndarray, member: np.ndarray) -> np.ndarray:
    """Log-odds of the member rows against the others; log_weight (..., R)."""
    top = log_weight.max(axis=-1, keepdims=True)
    weight = np.exp(log_weight - top)
    inside = weight[..., member].sum(axis=-1)
    outside = weight[..., ~member].sum(axis=-1)
    return np.asarray(np.log(np.maximum(inside, 1e-300)) - np.log(np.maximum(outside, 1e-300)))


def reasons(posterior: Posterior, fault_index: int) -> tuple[Reason, ...]:
    """What each item adds to a fault's log-odds: with all items less without that one. Strongest first."""
    evidence = posterior.evidence
    if not evidence.items:
        return ()
    member = posterior.hypotheses.fault_of_row == fault_index
    total = posterior.hypotheses.log_prior + evidence.log_likelihood.sum(axis=0)
    without = total[None, :] - evidence.log_likelihood
    moved = float(_log_odds(total, member)) - _log_odds(without, member)
    order = np.argsort(-np.abs(moved), kind="stable")
    return tuple(Reason(evidence.items[i], float(moved[i])) for i in order)
