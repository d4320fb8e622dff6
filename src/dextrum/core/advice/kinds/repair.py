"""Changing, resoldering or wiring a part."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.advice.repairing import repair_actions
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import Rework


class Repair(KindOfAction):
    word = "repair"
    place = Place.REWORK
    does = frozenset({Activity.HEAT})
    weighed = True
    with_parts_off = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return repair_actions(plan.weighing)

    def perform(self, hands: Hands, action: Action) -> None:
        option = next(o for o in hands.advice.repairs.options if (o.part, o.action) == (action.target, action.detail))
        hands.mend(action.target, action.detail)
        verb = {"reflow": "reflow", "wire": "wire"}.get(action.detail, "replace")
        hands.note(*hands.opened_to(option.access), Rework(verb, action.target, "stock"),  # type: ignore[arg-type]
                   minutes=action.minutes)
        hands.cool_down()
