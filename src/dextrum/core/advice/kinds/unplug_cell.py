"""Unplugging the cell before probes, heat or current."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import cell_access
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.trail import Cell


class UnplugCell(KindOfAction):
    word = "unplug_cell"
    place = Place.LINE
    with_parts_off = True
    command = "cell.ask"

    def cost_before(self, weighing: Weighing, action: Action) -> float:
        """What needs the cell out opens the unit anyway."""
        return weighing.minutes_cost(as_stated(weighing.board, "unplug_minutes"))

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(*hands.opened_to(cell_access(hands.board, hands.facts)), Cell("unplugged"), minutes=action.minutes)
