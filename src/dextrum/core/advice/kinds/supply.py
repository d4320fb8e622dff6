"""Reading volts and amps at the supply, one way up."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.measuring import supply_actions
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.safety.activities import Activity


class ReadSupply(KindOfAction):
    word = "supply"
    place = Place.SUPPLY
    does = frozenset({Activity.POWER})
    tests = True
    sided = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return supply_actions(plan.weighing)

    def perform(self, hands: Hands, action: Action) -> None:
        hands.read_supply(action.target, 1.0, action.minutes)
