"""A pad torn off the board under a contact: the part is whole, and no new part mends it."""

from __future__ import annotations

from collections.abc import Iterator

from dextrum.core.assumptions.looks import SEEN_TORN
from dextrum.core.assumptions.reworked import BY_HANDS
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.faults.kind import Place
from dextrum.core.faults.lifted_joint import LiftedJoint
from dextrum.core.looks import TORN
from dextrum.tongue import tr

TORN_UNDER = frozenset({ComponentKind.RECEPTACLE})
"""What is pulled at: a plug does it to a port, and so does lifting one whose joints have not all melted."""


class TornPad(LiftedJoint):
    word = FaultKind.TORN_PAD
    words = tr("pad of {t} torn")
    stays_without_part = True
    mended_by = frozenset({"wire"})
    shown = ("", 0.0)
    under = (TORN, SEEN_TORN)
    loosens = False
    by_heat = 0.0
    by_hands = BY_HANDS["torn_pad"]
    after_fitting = 0.15

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        return super().places(board, part) if part.kind in TORN_UNDER else iter(())
