"""Leaving it to charge until it can start."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import DrawTrace, Supply


class WaitCharge(KindOfAction):
    word = "wait_charge"
    place = Place.SUPPLY
    does = frozenset({Activity.POWER})
    waits = True

    def perform(self, hands: Hands, action: Action) -> None:
        hands.let_pass(action.minutes)
        last = next(e.payload for e in reversed(hands.trail) if isinstance(e.payload, Supply | DrawTrace))
        hands.read_supply(last.orientation, hands.minute_read_last() + action.minutes, 1.0)
