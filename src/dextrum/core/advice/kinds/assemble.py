"""Putting a unit together just enough for it to run."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.proof.together import needed_to_run, not_in
from dextrum.core.trail import PutTogether


class Assemble(KindOfAction):
    word = "assemble"
    place = Place.PROOF
    with_parts_off = True

    def perform(self, hands: Hands, action: Action) -> None:
        open_ones = not_in(hands.board, hands.facts, needed_to_run(hands.board))
        if open_ones:
            hands.note(PutTogether(open_ones), minutes=action.minutes)
