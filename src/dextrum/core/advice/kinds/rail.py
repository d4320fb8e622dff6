"""Reading a rail under power."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.assumptions.planning import RAIL_MINUTES
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import RailVolts


class ReadRail(KindOfAction):
    word = "rail"
    place = Place.LINE
    command = "rail.volts"
    at_point = True
    does = frozenset({Activity.POWER})
    tests = True
    weighed = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return plan.rails

    def perform(self, hands: Hands, action: Action) -> None:
        hands.reach(action.points[0])
        hands.note(RailVolts(action.target, hands.rail_volts(action.target, action.detail),
                             "a" if action.detail == "a" else "b"), minutes=RAIL_MINUTES)
