"""Two neighbouring contacts of the receptacle that touch each other."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import pairwise

from dextrum.core.assumptions.breaking import CROSSED_DISTURB
from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board, Component
from dextrum.core.faults.connection import Connection
from dextrum.core.faults.kind import Place
from dextrum.tongue import tr


class CrossedContacts(Connection):
    word = FaultKind.CROSSED_CONTACTS
    words = tr("contacts {t} crossed")
    clean_port = 0.2
    blows_feeders = True
    after_fitting = 0.3

    def places(self, board: Board, part: Component) -> Iterator[Place]:
        names = {t.name for t in part.terminals}
        for row in sorted({name[0] for name in names}):
            along = sorted(int(name[1:]) for name in names if name[0] == row and name[1:].isdigit())
            for a, b in pairwise(along):
                one, two = f"{row}{a}", f"{row}{b}"
                if b == a + 1 and part.terminal(one).net != part.terminal(two).net:
                    yield (one, two), ""

    def severity(self, ohms: float) -> float:
        return CROSSED_DISTURB
