"""One way in which a board can fail. A fault names the part, the kind and the terminals it is about.

Variants are the unknown sizes of the same fault (a partial short of 20, 80 or 300 ohms), each with a share.
What a kind of fault is, and which faults a board can have: `core/faults`.
"""

from __future__ import annotations

from dataclasses import dataclass

from dextrum.core.board.kinds import FaultKind
from dextrum.core.board.model import Board

UNLISTED_PART = "something else"


@dataclass(frozen=True)
class Fault:
    """One fault. variants: (ohms of the fault, share); the shares add up to 1."""

    id: str
    part: str
    kind: FaultKind
    terminals: tuple[str, ...]
    weight: float
    variants: tuple[tuple[float, float], ...]
    words: str


def signal_of(board: Board, net: str) -> str:
    """The port's name for a net that reaches it ('RX2−'), the net's own name for others."""
    return board.port_signals.get(net, net)
