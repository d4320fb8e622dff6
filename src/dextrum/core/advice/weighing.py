"""One posterior seen through the cost of repair: what every action is weighed with."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dextrum.core.advice.outcomes import OutcomeTable
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairs import RepairOptions, expected_repair_cost, option_costs
from dextrum.core.advice.wording import fault_words, percent
from dextrum.core.diagnosis.hypotheses import NOTHING_ROW
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.job import JobFacts

PLANNING_PENALTY = 3.0
"""An unmended unit weighs this many times its value while planning: one step of look-ahead can't see how two
measurements together pay, and would give up too early at the bare value."""
WEIGHED_MASS = 0.998
"""Share of the posterior that advice looks at: the likeliest rows that make it up. The rest is left out."""


@dataclass(frozen=True)
class AdviceModel:
    """What advice needs of a board, made once: outcomes of every point, and all repairs."""

    model: DiagnosisModel
    rates: ShopRates
    outcomes: OutcomeTable
    repairs: RepairOptions


class Weighing:
    """One posterior, seen through the cost of repair. All arrays are cut down to the rows that weigh."""

    def __init__(self, advice: AdviceModel, posterior: Posterior, facts: JobFacts) -> None:
        self.advice = advice
        self.board = advice.model.board
        self.rates = advice.rates
        self.facts = facts
        self.evidence = posterior.evidence
        self.rows = posterior.remaining_rows()
        self.nothing = float(self.rows[NOTHING_ROW])
        falling = np.argsort(-self.rows, kind="stable")
        enough = int(np.searchsorted(np.cumsum(self.rows[falling]), WEIGHED_MASS)) + 1
        self.live = np.sort(falling[:enough])
        self.weight = (self.rows[self.live] / self.rows[self.live].sum()).astype(np.float32)
        self.options = RepairOptions(advice.repairs.options, advice.repairs.mends[self.live])
        self._costs_at: dict[str, np.ndarray] = {}
        self.costs = self.costs_at(facts.access)
        self.prove = self.rates.labour_per_minute * sum(check.minutes for check in self.board.checks)
        self.give_up = PLANNING_PENALTY * self.board.unit_value
        self.is_nothing = (self.live == NOTHING_ROW).astype(np.float32)
        self.now = float(self.expect(self.weight[None, :])[0])

    def costs_at(self, access: str) -> np.ndarray:
        """Cost of each repair (K,) once the unit is open as far as `access`, or as it is now if that is deeper."""
        order = self.board.access_order
        level = access if order.get(access, 0) > order.get(self.facts.access, 0) else self.facts.access
        if level not in self._costs_at:
            self._costs_at[level] = option_costs(self.board, self.advice.repairs, self.rates, level)
        return self._costs_at[level]

    def expect(self, weights: np.ndarray, access: str = "") -> np.ndarray:
        """Expected cost of repair (B,) of B weight vectors over the live rows, each adding up to 1.

        access: how far the unit is open by then; what an action opened, the repairs after it need not open again.
        """
        total = np.maximum(weights.sum(axis=1, keepdims=True), 1e-30)
        normal = weights / total
        return expected_repair_cost(self.options, self.costs_at(access), normal, normal @ self.is_nothing,
                                    self.give_up, self.prove)

    def minutes_cost(self, minutes: float) -> float:
        return minutes * self.rates.labour_per_minute

    def leading(self, weights: np.ndarray) -> float:
        """Weight of the likeliest single state (a fault, or none) among the live rows."""
        state = self.advice.model.hypotheses.fault_of_row[self.live] + 1
        state = np.where(self.live == NOTHING_ROW, 0, np.where(state == 0, -1, state))
        kept = state >= 0
        return float(np.bincount(state[kept], weights=weights[kept], minlength=1).max()) if kept.any() else 0.0

    def lead(self, weights: np.ndarray) -> str:
        """The likeliest fault of a weight vector over the live rows, in words."""
        total = weights.sum()
        if total <= 0:
            return "cannot happen"
        hypotheses = self.advice.model.hypotheses
        full = np.zeros(hypotheses.count)
        full[self.live] = weights / total
        per_fault = hypotheses.per_fault(full)
        best = int(np.argmax(per_fault)) if len(per_fault) else 0
        if not len(per_fault) or full[NOTHING_ROW] >= per_fault[best]:
            return "no fault there"
        fault = hypotheses.faults[best]
        return f"{fault.part} {fault_words(self.board, fault)}, {percent(per_fault[best])}"
