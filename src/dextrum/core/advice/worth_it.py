"""No part that is likelier good than not is changed for more than that can earn.

Planning counts a unit that is given up as a multiple of its value, since one step of look-ahead can't see how two
measurements together pay (`PLANNING_PENALTY`). Changing a part is no measurement: what it can earn is the unit's value,
once, with the chance that it is the part. A part that is likelier at fault than not is left to the plan.
"""

from __future__ import annotations

from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import percent
from dextrum.core.assumptions.planning import LIKELY_PART
from dextrum.core.board import ComponentKind
from dextrum.core.money.amounts import about_words
from dextrum.tongue import tr


def earned_by(weighing: Weighing) -> float:
    """What a unit that works is worth more than its parts, once it has been proved."""
    return weighing.board.unit_value - weighing.board.donor_value - weighing.prove


def _chance(weighing: Weighing, action: Action) -> float | None:
    """Chance that an action on a part mends anything of what is wrong, or that lifting a chip finds it; None for what
    changes no part."""
    if action.kind == "repair":
        return max((weighing.chance_to_mend(k) for k, option in enumerate(weighing.options.options)
                    if (option.part, option.action) == (action.target, action.detail)), default=0.0)
    part = weighing.board.component_by_designator.get(action.target)
    lifts_a_chip = action.kind == "isolate" and part is not None and part.kind is ComponentKind.IC
    return weighing.chance_of_part.get(action.target, 0.0) if lifts_a_chip else None


def costs_more_than_it_earns(weighing: Weighing, action: Action) -> bool:
    """Whether it changes a part, or lifts a chip, that is likelier good than not, for more than the chance that it is
    at fault is worth."""
    chance = _chance(weighing, action)
    return chance is not None and chance < LIKELY_PART and chance * earned_by(weighing) < action.cost


def saying_why(weighing: Weighing, ending: Action, instead_of: Action) -> Action:
    """The end of a job, with what would otherwise be done and what that costs."""
    return replace(ending, why=tr(
        "{title}: {percent} likely to fix it, at about {cost}. Working, the unit is worth about {worth} more than its "
        "parts.", title=instead_of.title, percent=percent(_chance(weighing, instead_of) or 0.0),
        cost=about_words(instead_of.cost), worth=about_words(earned_by(weighing))))
