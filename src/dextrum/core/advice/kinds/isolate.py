"""Taking one load off, and reading again."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.elimination import part_access
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.board import Board
from dextrum.core.safety.activities import NONE, Activity, unplugs
from dextrum.core.trail import Isolation

TOUCH_MINUTES = 0.3
"""Of the minutes of such a step, the reading at its end."""


class TakeOff(KindOfAction):
    word = "isolate"
    place = Place.LINE
    command = "load.off"
    at_point = True
    tests = True
    reads = True
    weighed = True
    with_parts_off = True

    def activities(self, board: Board, target: str) -> frozenset[Activity]:
        return NONE if unplugs(board, target) else frozenset({Activity.HEAT})

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return plan.isolating[0]

    def perform(self, hands: Hands, action: Action) -> None:
        access = max((hands.facts.access, part_access(hands.board, action.target)),
                     key=lambda level: hands.board.access_order.get(level, 0))
        hands.take_off_or_put_back(Isolation((action.target,)), minutes=action.minutes - TOUCH_MINUTES, access=access)
        hands.read(*action.points)
