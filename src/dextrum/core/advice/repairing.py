"""Repairs as actions: changing a part, and putting back what was taken off."""

from __future__ import annotations

import numpy as np

from dextrum.core.advice.actions import Action
from dextrum.core.advice.repairs import lifting
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent, repair_title
from dextrum.core.assumptions.planning import GUILTY, USUAL_LIFTING
from dextrum.core.looks import ASKS_FOR_ANOTHER
from dextrum.core.money.amounts import amount_words
from dextrum.tongue import tr

CONSIDERED = 4
"""Repairs with most chance for their cost that are weighed."""


def _puts_nothing_right(weighing: Weighing, k: int) -> bool:
    """Reflowing a part that is seen burst or turned."""
    option = weighing.options.options[k]
    return option.action != "replace" and weighing.facts.parts_seen.get(option.part) in ASKS_FOR_ANOTHER


def repair_actions(weighing: Weighing) -> list[Action]:
    worth = (weighing.weight @ weighing.options.mends) / np.maximum(weighing.costs, 1e-9)
    open_still = [k for k in np.argsort(-worth, kind="stable").tolist()
                  if k not in weighing.done_enough and not _puts_nothing_right(weighing, k)]
    likely = [(k, chance) for k in open_still[:CONSIDERED] if (chance := weighing.chance_to_mend(k)) >= 0.01]
    after = weighing.after_repairs([k for k, _ in likely])
    return [repair_action(weighing, k, chance, spent) for (k, chance), spent in zip(likely, after, strict=True)]


def repair_action(weighing: Weighing, k: int, chance: float, after: float | None = None) -> Action:
    """The k-th option. chance: that it mends any of what is wrong; after: what is still to be spent then, if known."""
    board = weighing.board
    option = weighing.options.options[k]
    # As in `expected_repair_cost`: a unit with nothing wrong shows it when it is tried, before any repair.
    after = weighing.after_repairs([k])[0] if after is None else after
    expected = float(weighing.costs[k]) * (1.0 - weighing.nothing) + after
    minutes = board.minutes_to(option.access, weighing.facts.access) + option.minutes
    if option.part in weighing.facts.isolated and option.action == "replace":
        minutes -= (lifting(board, board.component_by_designator[option.part]) or (0.0, 0.0))[0]
    price = tr(", part {price}", price=amount_words(option.price)) if option.price else ""
    before = any(rework.part == option.part for _, rework in weighing.facts.reworks)
    again = tr(" It was worked on before in this job: look at its joints under magnification first.") if before else ""
    return Action(
        "repair", option.part, repair_title(board, option.part, option.action),
        f"{board.component_by_designator[option.part].purpose}{price}"
        if option.part in board.component_by_designator else tr("fine enamelled wire"),
        tr("{percent} likely to fix the fault.{again}", percent=percent(chance),
           again=again), minutes, float(weighing.costs[k]),
        expected, (), (), option.action)


def _off_already(weighing: Weighing) -> Action | None:
    """Replacing what is off and likely the fault, since it need not go back on first."""
    for k, option in enumerate(weighing.options.options):
        chance = weighing.chance_of_part.get(option.part, 0.0)
        if option.part in weighing.facts.isolated and option.action == "replace" and chance >= GUILTY:
            return repair_action(weighing, k, chance)
    return None


def put_back(weighing: Weighing) -> Action:
    """What is off goes back on, but for what is likely the fault itself: that is replaced."""
    board = weighing.board
    off = sorted({a.partition(".")[0] for a in weighing.facts.isolated})
    parts = [p for p in off if weighing.chance_of_part.get(p, 0.0) < GUILTY]
    if not parts:
        replacing = _off_already(weighing)
        if replacing is not None:
            return replacing
        parts = off
    known = [board.component_by_designator[p] for p in parts if p in board.component_by_designator]
    minutes = sum((lifting(board, part) or (USUAL_LIFTING, 0.0))[0] for part in known)
    cost = weighing.minutes_cost(minutes)
    return Action("put_back", parts[0], tr("Put back {parts}", parts=", ".join(parts)), "",
                  tr("Not the shorted part, or no longer needed off."),
                  minutes, cost, weighing.now + cost, tuple(parts))
