"""How large a fault is in this world: from a distribution, not from the sizes that a pack's faults come in."""

from __future__ import annotations

import numpy as np

from dextrum.core.board import Board, ComponentKind, Fault, FaultKind
from dextrum.world.numbers import Faults

LEAST_OHMS = 0.02


def drawn_size(board: Board, fault: Fault, numbers: Faults, generator: np.random.Generator) -> float:
    """Ohms of a fault, or of a capacitor in another's place how many times its own value it has; 0 for one that has
    neither."""
    part = board.component_by_designator.get(fault.part)
    if fault.kind is FaultKind.WRONG_PART and part is not None and part.kind is ComponentKind.CAPACITOR:
        times = numbers.other_farads * float(np.exp(numbers.other_farads_spread * generator.normal()))
        return times if generator.random() < 0.5 else 1.0 / times
    return drawn_ohms(fault, numbers, generator)


def drawn_ohms(fault: Fault, numbers: Faults, generator: np.random.Generator) -> float:
    """Ohms of a fault; 0 for one that has none."""
    middle = {FaultKind.PARTIAL_SHORT: (numbers.partial_ohms, numbers.partial_spread),
              FaultKind.LEAKY_PART: (numbers.leak_ohms, numbers.leak_spread),
              FaultKind.WRONG_PART: (numbers.other_ohms, numbers.other_spread)}
    if fault.variants == ((0.0, 1.0),):
        return 0.0
    median, spread = middle.get(fault.kind, (numbers.hard_ohms, numbers.hard_spread))
    return float(max(LEAST_OHMS, median * np.exp(spread * generator.normal())))
