"""A known-good cell in, and the supply read again: it tells at once whether the board charges."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import Access, Cell


class SwapCell(KindOfAction):
    word = "swap_cell"
    place = Place.SUPPLY
    does = frozenset({Activity.POWER, Activity.CELL})
    tests = True
    sided = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return [action for action in plan.settling if action.kind == self.word]

    def perform(self, hands: Hands, action: Action) -> None:
        deeper = hands.board.access_levels[1].id if len(hands.board.access_levels) > 1 else ""
        hands.note(*((Access(deeper),) if deeper else ()), Cell("known_good"), minutes=action.minutes)
        hands.read_supply(action.target, 1.0, 1.0)
