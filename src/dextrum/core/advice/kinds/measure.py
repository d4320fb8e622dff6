"""Reading one point."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.measuring import measure_actions
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan


class Measure(KindOfAction):
    word = "measure"
    place = Place.POINTS
    tests = True
    reads = True
    weighed = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return measure_actions(plan.weighing)

    def perform(self, hands: Hands, action: Action) -> None:
        hands.read(*action.points)
