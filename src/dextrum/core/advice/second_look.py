"""Before a chip is changed, or a unit given up, for a part that was seen to warm, it is looked for a second way: a
small capacitor heats the copper of the chip beside it, and a picture is off by a millimetre.

How often a neighbour is named is known least of all that the plan reckons with, so the doubt is taken at the far end of
what it may be. Right after the first look the rail is still on the supply, and a second one takes minutes.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.advice.wording import again_words
from dextrum.core.assumptions.planning import NAMED_WRONGLY
from dextrum.core.diagnosis.injection import rail_nets
from dextrum.tongue import tr


def second_look(weighing: Weighing, part: str, at_stake: float, ranked: Sequence[Action]) -> Action | None:
    """An injection that may still name another part than the one that is about to be changed, or the unit given up
    for, where that part was seen to warm; None where it was not, or where looking costs more than it may save.
    at_stake: what is lost if it is not that part, in the shop's currency."""
    component = weighing.board.component_by_designator.get(part)
    if part not in weighing.facts.warmed or component is None:
        return None
    model, own = weighing.advice.model.isolating(weighing.facts.isolated), {t.net for t in component.terminals}
    best, worth = None, 1.0
    for action in ranked:
        joint = weighing.joints.get((action.kind, action.target))
        if action.kind != "inject" or joint is None or own.isdisjoint(rail_nets(model, action.target)):
            continue
        saved = NAMED_WRONGLY * float(weighing.shaken(joint[None], part)[0]) * at_stake
        if saved > worth * action.cost:
            best, worth = action, saved / action.cost
    if best is None:
        return None
    assert best.limits is not None
    title = again_words(best.target, best.detail, best.limits)
    return replace(best, title=title, why=tr(
        "{part} was seen to warm, but what sits beside it on its rail would heat it too: look a second way first. "
        "{why}", part=part, why=best.why))
