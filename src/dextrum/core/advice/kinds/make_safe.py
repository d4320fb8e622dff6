"""Setting apart a unit that is wet, hot or swollen: open, cell out, inspect."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import Cell, Danger


class MakeSafe(KindOfAction):
    word = "make_safe"
    place = Place.LINE
    with_parts_off = True
    command = "safety.safe"

    def perform(self, hands: Hands, action: Action) -> None:
        deeper = hands.board.access_levels[1].id if len(hands.board.access_levels) > 1 else ""
        hands.note(*(hands.opened_to(deeper) if deeper else ()), Cell("unplugged"), Danger((action.target,), "cleared"),
                   minutes=action.minutes)
        hands.own_cell_gone = hands.own_cell_gone or action.target == "swollen"
