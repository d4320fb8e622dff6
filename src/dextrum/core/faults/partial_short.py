"""A part that conducts some tens to hundreds of ohms where it should not: weak volts, warm, draws too much."""

from __future__ import annotations

import math

from dextrum.core.assumptions.breaking import SURE
from dextrum.core.board.kinds import ComponentKind, FaultKind
from dextrum.core.faults.hard_short import HardShort
from dextrum.core.faults.kind import Sizes
from dextrum.tongue import tr


class PartialShort(HardShort):
    word = FaultKind.PARTIAL_SHORT
    words = tr("{t} partly shorted")
    shown = ("burst", 0.1)
    may_spare_rail = True
    may_spare_feed = True

    def sizes(self, of: ComponentKind | None) -> Sizes:
        return ((25.0, 0.35), (90.0, 0.35), (320.0, 0.3))

    def severity(self, ohms: float) -> float:
        """As sure as a hard short at a few ohms, a tenth less with each doubling, a third at a kilohm."""
        return min(max(1.1 - 0.1 * math.log2(max(ohms, 1.0) / 4.0), 0.3), SURE)
