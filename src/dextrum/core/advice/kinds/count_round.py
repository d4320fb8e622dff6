"""Counting the small parts round what is to be heated, against the list."""

from __future__ import annotations

from dataclasses import replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.looking import look_access
from dextrum.core.advice.places import Place
from dextrum.core.assumptions.planning import COUNT_MINUTES
from dextrum.core.diagnosis.heat_reach import looked_round
from dextrum.core.looks import MISSING
from dextrum.core.trail import BoardLook


class CountRound(KindOfAction):
    word = "count_round"
    place = Place.LINE
    command = "board.look"
    at_side = True
    tests = True
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        board, side = hands.board, hands.board.component_by_designator[action.target].side
        hands.open_to(look_access(board, side))
        beside = looked_round(board, hands.advice.model.heat, action.target) | {action.target}
        # Without a photo made before only an empty place shows better than to one who looks the side over.
        counted = (one for one in hands.look_round(side, beside) if one.what == MISSING)
        seen = dict.fromkeys(replace(one, before=False) for one in (*hands.look_over(side), *counted)
                             if one.part in beside)
        hands.note(BoardLook(side.value, tuple(seen), before_heat_on=action.target),
                   minutes=COUNT_MINUTES)
