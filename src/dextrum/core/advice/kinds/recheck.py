"""Reading again after a repair, before power."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place


class Recheck(KindOfAction):
    word = "recheck"
    place = Place.POINTS
    reads = True

    def perform(self, hands: Hands, action: Action) -> None:
        hands.read(*action.points)
