"""Looking over one side of the board."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.looking import board_look_actions, look_access
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.board import Side
from dextrum.core.trail import BoardLook


class LookBoard(KindOfAction):
    word = "look_board"
    place = Place.LINE
    command = "board.look"
    at_side = True
    tests = True
    weighed = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return board_look_actions(plan.weighing)

    def perform(self, hands: Hands, action: Action) -> None:
        side = Side(action.target)
        hands.open_to(look_access(hands.board, side))
        hands.note(BoardLook(side.value, hands.look_over(side)),
                   minutes=hands.advice.rates.board_look_minutes)
