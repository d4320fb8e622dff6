"""Trying one thing that it must do."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.measuring import try_actions
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.board import Board
from dextrum.core.safety.activities import Activity, power_of_check


class TryCheck(KindOfAction):
    word = "try"
    place = Place.PROOF
    tests = True
    weighed = True
    needs_running = True

    def activities(self, board: Board, target: str) -> frozenset[Activity]:
        return power_of_check(board, target)

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return try_actions(plan.weighing)

    def perform(self, hands: Hands, action: Action) -> None:
        hands.prove([action.target])
