"""Nothing: the job is closed."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place


class Done(KindOfAction):
    word = "done"
    place = Place.HANDOVER
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        pass
