"""Unplugging the cell before probes, heat or current."""

from __future__ import annotations

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.kinds.kind import KindOfAction
from dextrum.core.advice.places import Place
from dextrum.core.trail import Cell


class UnplugCell(KindOfAction):
    word = "unplug_cell"
    place = Place.LINE
    command = "cell.ask"

    def perform(self, hands: Hands, action: Action) -> None:
        hands.note(Cell("unplugged"), minutes=action.minutes)
