"""A picture of the unit, kept beside the trail by its content."""

from __future__ import annotations

import re
from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import STRICT, require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

Shows = Literal["arrival", "port", "board", "before", "after", "proof", "other"]
MOST_MARKS, MOST_SIDE = 100, 20_000
_CONTENT = re.compile(r"[0-9a-f]{64}")


@dataclass(frozen=True)
class PhotoMark:
    """A ring round a place, or an arrow to it, over a picture and apart from it.

    form: ring or arrow. x: of the ring's middle or the arrow's end, as a share of the width. y: as a share of the
    height. to_x: of a place on the ring, or of the arrow's tip. to_y: the same downwards.
    """

    __pydantic_config__ = STRICT
    form: Literal["ring", "arrow"]
    x: float
    y: float
    to_x: float
    to_y: float

    def __post_init__(self) -> None:
        for name in ("x", "y", "to_x", "to_y"):
            require(getattr(self, name), 0.0, 1.0, name)


@dataclass(frozen=True)
class Photo(EntryKind):
    """A picture that was kept; a later entry of the same content says anew what it shows and what is marked.

    sha256: of the stored file, by which it is found. width: in pixels. height: in pixels. shows: the moment or the
    place it was taken for. about: id of the entry it belongs to; empty for the job as a whole. words: what is to be
    seen. marks: rings and arrows over it.
    """

    sha256: str
    width: int
    height: int
    shows: Shows = "other"
    about: str = ""
    words: str = ""
    marks: tuple[PhotoMark, ...] = ()
    kind: Literal["photo"] = "photo"
    ends_wait = False
    weighs = False

    def __post_init__(self) -> None:
        if not _CONTENT.fullmatch(self.sha256):
            raise ValueError(tr("{sha256!r} names no picture; expected 64 digits of 0 to 9 and a to f",
                                sha256=self.sha256[:20]))
        require(self.width, 1, MOST_SIDE, "width")
        require(self.height, 1, MOST_SIDE, "height")
        if len(self.marks) > MOST_MARKS:
            raise ValueError(tr("{count} marks; expected at most {most_marks}", count=len(self.marks),
                                most_marks=MOST_MARKS))
        short_text(self.about, self.words)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        first = facts.photos.get(self.sha256)
        facts.photos[self.sha256] = (self, at if first is None else first[1])
