"""Where a trail stands: how often it was repaired, what is off the board, and what cell is in."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Moment:
    """epoch: how many repairs there were. isolated: addresses of what is off. cell: its state."""

    epoch: int = 0
    isolated: frozenset[str] = frozenset()
    cell: str = "plugged"


BEGINNING = Moment()


def put_back(isolated: frozenset[str], part: str) -> frozenset[str]:
    """What is off once a part is on the board again, all its pins."""
    return frozenset(a for a in isolated if a.partition(".")[0] != part)
