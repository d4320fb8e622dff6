"""Letting the board cool, and reading again what was read warm."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place


class Cool(KindOfAction):
    word = "cool"
    place = Place.LINE
    with_parts_off = True
    command = "board.temperature"
    waits = True
    reads = True
    at_point = True

    def perform(self, hands: Hands, action: Action) -> None:
        hands.let_pass(action.minutes)
        facts = hands.facts
        warm = dict.fromkeys(point for _, point, _ in facts.readings or {} if any(
            facts.reading(point, method.value) for method in hands.board.point_by_id[point].methods))
        if warm:
            hands.read(*warm)
