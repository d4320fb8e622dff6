"""What faults that cut a line have in common: they break what needs it through, unless something else carries it."""

from __future__ import annotations

from abc import ABC

from dextrum.core.assumptions.breaking import MISSING_CAPACITOR, MISSING_PULL_UP, REDUNDANT_CONTACT, SURE
from dextrum.core.board.kinds import SERIES_KINDS, ComponentKind
from dextrum.core.faults.kind import Hit, KindOfFault


class Interruption(KindOfFault, ABC):
    """A fault that cuts."""

    def breaks(self, hit: Hit, ohms: float) -> float:
        return severity(hit) if hit.line else 0.0


def severity(hit: Hit) -> float:
    """Chance that a cut in a line that is needed breaks what needs it, by the kind of part that is cut."""
    if hit.of is None:
        return SURE
    if hit.of is ComponentKind.RECEPTACLE:
        return REDUNDANT_CONTACT if hit.redundant and not hit.whole else SURE
    if hit.of is ComponentKind.RESISTOR:
        return MISSING_PULL_UP
    if hit.of is ComponentKind.CAPACITOR:
        return MISSING_CAPACITOR
    return SURE if hit.of in SERIES_KINDS else 0.0
