"""Naming what blew a part, or waiving it."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import Cause
from dextrum.tongue import tr


class NameCause(KindOfAction):
    word = "cause"
    place = Place.CAUSE
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(Cause("supply", tr("Stop using the supply that came with it.")), minutes=action.minutes)
