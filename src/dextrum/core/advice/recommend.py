"""The next step: the action after which the expected cost of the job is least, one step ahead."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceMemory, AdviceModel
from dextrum.core.advice.auditing import audits_due
from dextrum.core.advice.doubt_actions import OpenDoubt
from dextrum.core.advice.elimination import Load, only_leaks
from dextrum.core.advice.kinds.registry import KINDS, kind_of
from dextrum.core.advice.outcomes import build_outcome_table
from dextrum.core.advice.plan import Plan
from dextrum.core.advice.preconditions import Preconditions
from dextrum.core.advice.protocol import pack_is_silent
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.repairs import build_repair_options
from dextrum.core.advice.rules import Turn, first_by_rule
from dextrum.core.advice.weighing import Weighing, points_that_settle
from dextrum.core.assumptions.planning import LEAST_GAIN_MINUTES
from dextrum.core.diagnosis.as_usual import standardised
from dextrum.core.diagnosis.evidence import prediction_sizes
from dextrum.core.diagnosis.model import DiagnosisModel
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.draw.cell import Span
from dextrum.core.job import JobFacts
from dextrum.core.reference.off_points import off_points
from dextrum.core.safety.gates import Gate, held_gates
from dextrum.core.safety.recheck import points_to_recheck
from dextrum.tongue import tr

MOST_RANKED = 8


@dataclass(frozen=True)
class Advice:
    """next is ranked[0]; rule: by which rule it comes first, empty where the plan decides. gates hold now.
    nothing_left: chance that no fault is left that does harm. loads: of a shorted rail, in the order in which to take
    them off; leaks_at: its net, where it isn't shorted but only reads low. beyond: the likeliest part that can't be
    mended here, and its chance. settles: of the faults that were asked about, the point that would tell most."""

    next: Action
    ranked: tuple[Action, ...]
    gates: tuple[Gate, ...]
    nothing_left: float
    loads: tuple[Load, ...] = ()
    beyond: tuple[str, float] = ("", 0.0)
    settles: tuple[tuple[int, str], ...] = ()
    leaks_at: str = ""
    rule: str = ""


def build_advice_model(model: DiagnosisModel, rates: ShopRates | None = None,
                       prices: Mapping[str, float] | None = None) -> AdviceModel:
    """prices: of parts, where this shop's differ from the pack's."""
    rates = rates or ShopRates()
    table = build_outcome_table(model.warm())
    sizes = [prediction_sizes(model, p, model.board.point_by_id[p].default_method) for p in table.points]
    return AdviceModel(model, rates, table, build_repair_options(model.board, model.hypotheses, rates, prices or {}),
                       np.array(sizes, dtype=np.float32).reshape(len(sizes), model.hypotheses.count))


def at_rates(advice: AdviceModel, rates: ShopRates, prices: Mapping[str, float]) -> AdviceModel:
    """The same board where time and parts cost otherwise: what its faults read stays as it was worked out."""
    return replace(advice, rates=rates, memory=AdviceMemory(), repairs=build_repair_options(
        advice.model.board, advice.model.hypotheses, rates, prices))


def _only_looks(weighing: Weighing, action: Action) -> bool:
    """Whether it is a test that doesn't pay for itself: the job is then cheaper ended one way or the other."""
    return kind_of(action).tests and action.expected > weighing.now - weighing.minutes_cost(LEAST_GAIN_MINUTES)


def recommend(advice: AdviceModel, posterior: Posterior, seen: JobFacts, doubt: OpenDoubt | None = None,
              starts: Span | None = None, explain: bool = True, suspected: Sequence[int] = ()) -> Advice:
    """Ranked actions with the best first. What a gate holds back competes at the cost of what lifts it, and that is
    done first (`preconditions`). Gates go by the readings as they were seen, all else by them on this board's scale.

    doubt: a draw that has two explanations still, which waiting or a known-good cell would separate. starts: minutes
    until the cell is up far enough for the unit to start, where the draw says that it isn't. explain: with what each
    outcome would mean, and what would settle the faults suspected.
    """
    board = advice.model.board
    facts = standardised(advice.model, seen, posterior.evidence.apart)
    weighing = Weighing(advice, posterior, facts)
    gates = held_gates(board, advice.model.references, seen)
    held = {activity.value for gate in gates for activity in gate.holds}
    due = points_to_recheck(board, advice.model.references, seen)
    # What reads as it did before the repair is dealt with first: another round of heat comes anyhow.
    still_off = facts.epoch > 0 and bool(off_points(board, advice.model.references, seen, facts.epoch))
    beside = () if still_off else tuple(p for audit in audits_due(advice, seen, due) for p in audit.points)
    before = Preconditions(weighing, seen, gates, starts)
    plan = Plan(weighing, doubt, before.reach)
    proposed = [before.reach(action) for kind in KINDS.values() for action in kind.proposed(plan)]
    candidates = [action for action in proposed if action is not None] or [pack_is_silent(weighing)]
    candidates.sort(key=lambda action: (_only_looks(weighing, action), action.expected))
    settling = tuple(action for action in map(before.reach, plan.settling) if action is not None)
    turn = Turn(weighing, seen, gates, frozenset(held), due, beside, starts, settling, plan.scan is not None,
                plan.looked, tuple(candidates))
    wanted, rule = first_by_rule(turn, advice.without)
    apart = rule == "read_apart"
    wanted = before.reach(wanted, apart) if wanted is not None else None
    # What a rule wants may be held back by what only the diagnosis lifts: then what competes goes on.
    steps = [before.first(wanted, apart)] if wanted is not None else []
    steps += [before.first(action) for action in candidates]
    ranked: list[Action] = []
    for step in steps:
        if step is not None and (step.kind, step.target) not in {(a.kind, a.target) for a in ranked}:
            ranked.append(step)
    ranked = ranked[:MOST_RANKED + 1]
    ranked += [action for action in settling if before.first(action) is action and action not in ranked]
    if facts.outcome is not None:
        ranked = ranked[:1]
    if facts.wait is not None and facts.wait_is_over:
        ranked[0] = replace(ranked[0], why=tr("The wait is over: {why} {why2}", why=facts.wait.words,
                                              why2=ranked[0].why))
    if explain:
        meant = weighing.meanings([(action.kind, action.target) for action in ranked])
        ranked = [action if action.outcomes or not own else replace(action, outcomes=own)
                  for action, own in zip(ranked, meant, strict=True)]
    loads = plan.isolating[1]
    return Advice(ranked[0], tuple(ranked), gates, weighing.nothing, loads,
                  weighing.part_beyond_repair, points_that_settle(weighing, suspected) if explain else (),
                  only_leaks(weighing) if loads else "", rule)
