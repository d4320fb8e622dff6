"""How long hands were at work on a job, by the times of its entries."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import pairwise

from dextrum.core.trail import Entry, Wait, standing

LONGEST_STRETCH_MINUTES = 25.0
"""Between two entries: more is a pause that nobody wrote down. The longest step of the shipped recipes takes fifteen
minutes of hands; the rest is room for what is done before it is written down."""


def minutes_of_work(trail: Iterable[Entry]) -> float:
    """Sum of the stretches between entries; what follows a wait is none, and a longer stretch counts as the longest. A
    price that was said, and the like, took no hands."""
    entries = [entry for entry in standing(trail) if entry.payload.by_hands]
    whole = 0.0
    for before, after in pairwise(entries):
        if not isinstance(before.payload, Wait):
            minutes = (after.at - before.at).total_seconds() / 60.0
            whole += min(max(minutes, 0.0), LONGEST_STRETCH_MINUTES)
    return whole
