"""Waiting for something that was said to come."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place


class WaitOn(KindOfAction):
    word = "wait"
    place = Place.NOWHERE
    waits = True
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        pass
