"""Blowing and brushing the port out."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import Rework


class Clean(KindOfAction):
    word = "clean"
    place = Place.LINE
    with_parts_off = True
    command = "port.cleaned"

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(Rework("clean", action.target), minutes=action.minutes)
