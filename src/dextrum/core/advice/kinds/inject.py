"""Current from a bench supply into a rail, to see what warms."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.injecting import injecting_minutes, injection_actions, read_to_inject
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.advice.ways_of_seeing import WAY_BY_WORD
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import Injection


class Inject(KindOfAction):
    word = "inject"
    place = Place.LINE
    command = "rail.inject"
    at_point = True
    does = frozenset({Activity.INJECTION})
    tests = True
    weighed = True
    with_parts_off = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return (*injection_actions(plan.weighing), *read_to_inject(plan.weighing))

    def perform(self, hands: Hands, action: Action) -> None:
        hands.reach(action.points[0])
        assert action.limits is not None
        limits, by = action.limits, WAY_BY_WORD[action.detail].by
        minutes = injecting_minutes(hands.board, hands.facts, action.target, by, limits.fed)
        held = limits.watts if limits.held else None
        warmed = hands.inject(action.target, limits.volts, limits.amps, by, held)
        hands.note(Injection(action.target, limits.volts, limits.amps, warmed, by, limits.fed, held), minutes=minutes)
