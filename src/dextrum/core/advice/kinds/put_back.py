"""Putting back what was taken off."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import Isolation


class PutBack(KindOfAction):
    word = "put_back"
    place = Place.LINE
    with_parts_off = True
    command = "load.back"
    weighed = True

    def perform(self, hands: Hands, action: Action) -> None:
        hands.take_off_or_put_back(Isolation(action.points, "back"), minutes=action.minutes)
