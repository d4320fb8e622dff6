"""Ending it as a donor."""

from __future__ import annotations

from collections.abc import Iterable

from dextrum.core.advice.actions import Action
from dextrum.core.advice.giving_up import giving_up, unproved
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.job import JobFacts
from dextrum.core.trail import Outcome
from dextrum.tongue import tr


class GiveUp(KindOfAction):
    word = "give_up"
    place = Place.HANDOVER

    def proposed(self, plan: Plan) -> Iterable[Action]:
        return giving_up(plan.weighing, plan.looked)

    def needs_whole_board(self, seen: JobFacts) -> bool:
        return unproved(seen)

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(Outcome("donor", tr("Not worth another hour.")), minutes=action.minutes)
