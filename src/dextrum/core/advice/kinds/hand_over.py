"""Handing it over."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import Outcome


class HandOver(KindOfAction):
    word = "hand_over"
    place = Place.HANDOVER

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(Outcome("repaired"), minutes=action.minutes)
