"""One side of the board looked over, or what lies round one part counted before heat goes on it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board import Side
from dextrum.core.board.bounds import STRICT, one_of, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.looks import BOARD_FINDING_WORDS, BOARD_FINDINGS, MISSING, MOST_SEEN
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class PartSeen:
    """What one part looks like. what: of BOARD_FINDINGS. before: the photo made before any work shows it so already."""

    __pydantic_config__ = STRICT
    part: str
    what: str
    before: bool = False

    def __post_init__(self) -> None:
        if not self.part.strip():
            raise ValueError(tr("no part is named; expected a designator"))
        short_text(self.part)
        one_of(self.what, BOARD_FINDINGS, "finding")

    @property
    def words(self) -> str:
        """'C62 missing', 'C62 missing before the work already'."""
        said = f"{self.part} {BOARD_FINDING_WORDS[self.what]}"
        return tr("{seen} before the work already", seen=said) if self.before else said


@dataclass(frozen=True)
class BoardLook(EntryKind):
    """One side of the board looked over under magnification. seen: parts that are not as they should be; empty when all
    are. The latest of a side counts. before_heat_on: the part that is to be worked on, where only what lies round it
    was counted against the list; empty where the whole side was looked over."""

    version = 5  # 2: bridged; 3: swapped; 4: torn; 5: before_heat_on
    side: Literal["top", "bottom"]
    seen: tuple[PartSeen, ...] = ()
    note: str = ""
    before_heat_on: str = ""
    kind: Literal["board_look"] = "board_look"

    def __post_init__(self) -> None:
        if len(self.seen) > MOST_SEEN:
            raise ValueError(tr("{count} parts; expected at most {most_seen}", count=len(self.seen),
                                most_seen=MOST_SEEN))
        short_text(self.note, self.before_heat_on)

    @property
    def words(self) -> str:
        """'C62 missing, U3 burst', or 'nothing amiss'."""
        return ", ".join(part.words for part in self.seen) or tr("nothing amiss")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        if self.before_heat_on:
            facts.counted_before.append((facts.moment.epoch, self))
        else:
            facts.board_looks[self.side] = self
            facts.board_look_epochs[self.side] = facts.moment.epoch
        if not facts.heated:  # a port that was cleaned has lost nothing on the board
            facts.came_without |= {one.part for one in self.seen if one.what == MISSING}

    def tells(self, telling: Telling) -> None:
        if self.before_heat_on:
            telling.sees_before_heat(self.before_heat_on, self.words, self.seen)
        else:
            telling.sees_side(Side(self.side), self.words, self.seen)
