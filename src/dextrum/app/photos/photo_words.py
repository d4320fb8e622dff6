"""What is said of a job's photos."""

from __future__ import annotations

from collections.abc import Mapping
from typing import get_args

from dextrum.app.job.trail_words import SHOWN_WORDS
from dextrum.core.entries.photo import Shows
from dextrum.core.job import JobFacts
from dextrum.tongue import tr

SHOWS: tuple[Shows, ...] = get_args(Shows)
SHOWN_IN: Mapping[str, Shows] = {"intake": "arrival", "port": "port", "board": "board", "proof": "proof"}
"""What a photo shows that is taken while a view is open, as long as nobody says otherwise."""


def shown_while(view: str, facts: JobFacts) -> Shows:
    """What a photo most likely shows."""
    if view == "rework":
        return "after" if facts.reworks else "before"
    return SHOWN_IN.get(view, "other")


def as_shown(text: str) -> Shows:
    """One of SHOWS; 'other' for anything else."""
    return next((shows for shows in SHOWS if shows == text), "other")


def photos_sentence(facts: JobFacts) -> str:
    """'3 photos: 2 of the port, 1 of the board.'"""
    count = len(facts.photos)
    if not count:
        return tr("No photo of this unit yet.")
    told = {shows: sum(photo.shows == shows for photo, _ in facts.photos) for shows in SHOWS}
    each = ", ".join(tr("{many} of {shown_words}", many=many,
                        shown_words=SHOWN_WORDS[shows]) if SHOWN_WORDS[shows].startswith("the ") else
                     f"{many} {SHOWN_WORDS[shows]}" for shows, many in told.items() if many)
    return tr("{count} photo{s}: {each}.", count=count, s="s" * (count > 1), each=each)
