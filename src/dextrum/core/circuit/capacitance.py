"""Capacitance between two places of an unpowered board, and the ohms that it is compared as.

A multimeter charges what lies between its tips to some tenths of a volt, too little for junctions. It shows the sum of
the capacitors that join the same two nets; where the same two places conduct, it can't charge them, and shows OL.

Readings in nanofarads are compared as what they impede at a kilohertz, 1 / (2 pi f C): nothing there is then as good as
OL, as for a slip of the probe, and a short next to nothing; and what adds capacitance lowers it, as what conducts does
with ohms (Rayleigh's law holds for capacitors as for resistors: P. G. Doyle and J. L. Snell, Random Walks and Electric
Networks, 1984, section 1.4, with charge for current).
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from dextrum.core.board.kinds import ComponentKind, Method
from dextrum.core.board.model import Board, Component, Point

if TYPE_CHECKING:
    import numpy as np

OHMS_OF_A_NANOFARAD = 1.0 / (2.0 * math.pi * 1e3 * 1e-9)
"""What a nanofarad impedes at a kilohertz."""
LEAST_NANOFARADS = 0.3
"""What leads, tips and bare pads have between them: as much or less is nothing there."""
LEAST_OHMS_TO_CHARGE = 700.0
"""What lies across a capacitor and conducts better than this keeps a meter from measuring it: they charge with some
microamperes to a milliampere, to some tenths of a volt. Some give up at three kilohms already; but a capacitance that
is shown clears a leak for good, and may do so only where every meter would have given up."""


def impeding_ohms(nanofarads: float) -> float:
    """Ohms at a kilohertz; inf where there is nothing, 0 where the meter showed OL since it could not charge it."""
    if nanofarads <= LEAST_NANOFARADS:
        return math.inf
    return OHMS_OF_A_NANOFARAD / nanofarads


def nanofarads_of(ohms: float) -> float:
    """The capacitance that impedes as much at a kilohertz; 0 where that is OL, inf for 0 ohms."""
    return math.inf if ohms <= 0.0 else OHMS_OF_A_NANOFARAD / ohms


def impeding_ohms_of(nanofarads: np.ndarray) -> np.ndarray:
    """The same for readings of any shape; nan stays."""
    import numpy as np  # with the first known-good, not with the start

    with np.errstate(divide="ignore"):
        found = OHMS_OF_A_NANOFARAD / nanofarads
    return np.asarray(np.where(nanofarads <= LEAST_NANOFARADS, np.inf, found))


def compared_value(shown: float, method: Method) -> float:
    """What a meter shows, as it is compared: nanofarads as ohms, all else as it is."""
    return impeding_ohms(shown) if method is Method.CAPACITANCE else shown


def shown_value(compared: float, method: Method) -> float:
    """What a meter shows of a value as it is compared."""
    return nanofarads_of(compared) if method is Method.CAPACITANCE else compared


def capacitors_between(board: Board, point: Point) -> Sequence[Component]:
    """Capacitors of stated size that join the two nets of a point; none where it is read against ground alone."""
    if point.to is None:
        return ()
    nets = {board.net_of(point.at), board.net_of(point.to)}
    return tuple(part for part in board.components if part.kind is ComponentKind.CAPACITOR
                 and part.nanofarads is not None and {t.net for t in part.terminals} == nets)
