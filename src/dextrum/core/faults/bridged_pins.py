"""Two neighbouring pins of a chip joined by solder, as fitting it by hand leaves them."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from dextrum.core.assumptions.breaking import CROSSED_DISTURB
from dextrum.core.assumptions.reworked import BY_HANDS
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.faults.connection import Connection
from dextrum.core.faults.kind import Place, Sizes, shown_terminal
from dextrum.tongue import tr

SOLDER: Sizes = ((0.05, 0.6), (2.0, 0.4))
"""Ohms of a bridge of solder, and of a hair of it, or of beads in burnt flux. Without the second each reading across
the filter beside it spoke for the filter or the port, whose bridges may have some ohms."""


class BridgedPins(Connection):
    word = FaultKind.BRIDGED_PINS
    words = tr("pins {t} bridged")
    mended_by = frozenset({"replace", "reflow"})
    shown = ("bridged", 0.6)
    by_hands = BY_HANDS["bridged_pins"]
    after_fitting = 0.4

    def sizes(self, of: ComponentKind | None) -> Sizes:
        return SOLDER

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        """Pins that follow one another in the pack, on different nets; that is as near as a pack tells."""
        if part.kind is not ComponentKind.IC:
            return
        role = {net.name: net.role for net in board.nets}
        for one, two in pairwise(part.terminals):
            if one.net == two.net:
                continue
            # The circuit shorts from the first to the second, or to ground: the live one comes first.
            pins = (one, two) if role[one.net] != "ground" else (two, one)
            if role[pins[0].net] == "ground":
                continue
            names = (pins[0].name, pins[1].name)
            yield names, tr(" and ").join(shown_terminal(board, part, name) for name in names)

    def severity(self, ohms: float) -> float:
        return CROSSED_DISTURB
