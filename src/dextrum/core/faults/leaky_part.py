"""A part that leaks some kilohms to ground."""

from __future__ import annotations

from dextrum.core.assumptions.breaking import DISTURBS_AT_A_KILOHM, SURE
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.faults.connection import Connection
from dextrum.core.faults.kind import Sizes
from dextrum.tongue import tr


class LeakyPart(Connection):
    word = FaultKind.LEAKY_PART
    words = tr("{t} leaks to ground")
    shown = ("burst", 0.03)
    may_spare_rail = True
    may_spare_feed = True

    def sizes(self, of: ComponentKind | None) -> Sizes:
        if of is ComponentKind.ESD_ARRAY:  # an array is not said to be partly shorted, so its leaks begin lower
            return ((1500.0, 0.4), (6000.0, 0.35), (300.0, 0.25))
        return ((1500.0, 0.5), (6000.0, 0.5))

    def severity(self, ohms: float) -> float:
        return min(max(DISTURBS_AT_A_KILOHM * 1000.0 / max(ohms, 1.0), 0.02), SURE)
