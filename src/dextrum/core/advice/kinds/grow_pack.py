"""Nothing at the bench: the pack has to say more before anything can be advised."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place


class GrowPack(KindOfAction):
    word = "grow_pack"
    place = Place.NOWHERE
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        pass
