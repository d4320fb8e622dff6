"""Waiting, and swapping in a known-good cell: the two ways to settle a draw that has two explanations."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from dextrum.core.advice.actions import Action, OutcomeMeaning
from dextrum.core.advice.rates import ShopRates
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import MOST_WAITS
from dextrum.core.board import Board
from dextrum.core.draw.cell import Span
from dextrum.core.draw.doubt import IN_DOUBT, Doubt
from dextrum.core.job import JobFacts
from dextrum.tongue import tr


@dataclass(frozen=True)
class OpenDoubt:
    """doubt: of the draw this way up. healthy: from what sets of faults break, (N, functions), the chance (N,) that the
    charging path is whole, given this draw. waited: how often it has been waited for already."""

    orientation: str
    doubt: Doubt
    healthy: Callable[[np.ndarray], np.ndarray]
    waited: int = 0


def _two_ways(weighing: Weighing, gone_on: np.ndarray, words: tuple[str, str],
              access: str) -> tuple[float, tuple[OutcomeMeaning, ...]]:
    """Expected cost after, and what both outcomes mean. gone_on: chance of the first under each live row."""
    joint = np.stack([weighing.weight * gone_on, weighing.weight * (1.0 - gone_on)])
    chance = joint.sum(axis=1)
    outcomes = tuple(OutcomeMeaning(word, float(chance[k]), weighing.lead(joint[k])) for k, word in enumerate(words))
    return float(chance @ weighing.expect(joint, access)), outcomes


def charging_action(weighing: Weighing, starts: Span) -> Action:
    """Leaving a healthy unit to charge until it can start: what proves it comes after."""
    minutes = starts.middle
    cost = weighing.minutes_cost(minutes * weighing.rates.waiting_share)
    return Action("wait_charge", "", tr("Leave it charging until it starts"),
                  tr("in about {minutes:.0f} min, {low:.0f} to {high:.0f} by the trace", minutes=minutes,
                     low=starts.low, high=starts.high),
                  tr("The cell is coming back; other jobs fit in here. Then it is proved."), minutes, cost,
                  weighing.now + cost)


def cell_access(board: Board, facts: JobFacts) -> str:
    """How far the unit must be open to reach its cell: the first level beyond closed."""
    return board.access_levels[1].id if len(board.access_levels) > 1 else facts.access


def probing_access(board: Board, facts: JobFacts, access: str) -> str:
    """How far the unit must be open to probe what lies at `access`: as far as its cell, while that is in."""
    cell = cell_access(board, facts)
    closed_in = facts.cell != "unplugged" and board.access_order.get(access, 0) < board.access_order.get(cell, 0)
    return cell if closed_in else access


def swap_minutes(board: Board, facts: JobFacts, rates: ShopRates) -> float:
    """Opening the unit as far as its cell, swapping it, and reading the supply."""
    return board.minutes_to(cell_access(board, facts), facts.access) + rates.cell_swap_minutes + rates.supply_minutes


def doubt_actions(weighing: Weighing, open_doubt: OpenDoubt) -> list[Action]:
    """Both actions; a swap only while the unit's own cell is in."""
    doubt, rates, board, facts = open_doubt.doubt, weighing.rates, weighing.board, weighing.facts
    healthy = open_doubt.healthy(weighing.broken).astype(np.float32)
    minutes = doubt.more / 60.0
    after, outcomes = _two_ways(weighing, healthy * (1.0 - IN_DOUBT), (tr("the draw grows"), tr("still the same")), "")
    side = tr("{orientation} side up", orientation=open_doubt.orientation.upper())
    cost = weighing.minutes_cost(minutes * rates.waiting_share + rates.supply_minutes)
    actions = []
    if open_doubt.waited < MOST_WAITS:
        actions.append(Action(
            "wait_draw", open_doubt.orientation, tr("Wait {minutes:.0f} min, then read the supply again",
                                                    minutes=minutes),
            tr("{side}, left plugged in; other jobs fit in here", side=side),
            tr("Not yet evidence of a dead chip: a flat cell would draw the same."), minutes, cost, after + cost, (),
            outcomes))
    if facts.cell != "known_good":
        level = cell_access(board, facts)
        minutes = swap_minutes(board, facts, rates)
        after, outcomes = _two_ways(weighing, healthy, (tr("full power at once"), tr("still the same")), level)
        cost = weighing.minutes_cost(minutes)
        actions.append(Action("swap_cell", open_doubt.orientation, tr("Swap in a known-good cell and read the supply"),
                              tr("{side}; never bend or pierce the cell",
                                 side=side), tr("Tells at once whether the board charges."),
                              minutes, cost, after + cost, (), outcomes))
    return actions
