"""Where in the window a step is done."""

from __future__ import annotations

from enum import Enum, auto


class Place(Enum):
    """POINTS: at its first unread point. LINE: what comes of it is typed into the line, by the kind's command.
    NOWHERE: outside, or nothing is to be done."""

    SUPPLY = auto()
    POINTS = auto()
    LINE = auto()
    REWORK = auto()
    PROOF = auto()
    CAUSE = auto()
    HANDOVER = auto()
    NOWHERE = auto()
