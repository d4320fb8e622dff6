"""Looking into the port under magnification."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place


class Look(KindOfAction):
    word = "look"
    place = Place.SUPPLY
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        hands.look_into_port(action.minutes)
