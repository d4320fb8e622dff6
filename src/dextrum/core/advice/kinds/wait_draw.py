"""Leaving it plugged in, and reading the supply again: a flat cell comes back, a dead chip does not."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import timedelta

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.safety.activities import Activity
from dextrum.core.trail import Wait
from dextrum.tongue import english, tr


class WaitDraw(KindOfAction):
    word = "wait_draw"
    place = Place.SUPPLY
    does = frozenset({Activity.POWER})
    waits = True
    sided = True

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return [action for action in plan.settling if action.kind == self.word]

    def perform(self, hands: Hands, action: Action) -> None:
        until = hands.now + timedelta(minutes=action.minutes)
        hands.note(Wait(english(tr("Is the draw growing?")), until.strftime("%Y-%m-%dT%H:%M")))
        before = hands.minute_read_last()
        hands.let_pass(action.minutes)
        hands.read_supply(action.target, before + action.minutes, 1.0)
