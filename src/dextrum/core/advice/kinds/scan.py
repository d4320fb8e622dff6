"""Reading all contacts of the port."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan


class Scan(KindOfAction):
    word = "scan"
    place = Place.POINTS
    tests = True
    reads = True
    weighed = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return [plan.scan] if plan.scan is not None else []

    def perform(self, hands: Hands, action: Action) -> None:
        hands.read(*action.points)
