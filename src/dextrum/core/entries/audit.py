"""What was checked round reworked parts, later than the rework was written down, and what was seen there."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import one_of, short_text
from dextrum.core.entries.board_look import PartSeen
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.rework import AUDIT_STEPS, PADS
from dextrum.core.looks import MISSING, MOST_SEEN
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class Audit(EntryKind):
    """What was checked round the reworked parts after the rework had been written down. checked: of AUDIT_STEPS, and
    PADS. part: the one that was looked round, empty where only the ticks are known; seen: parts round it that are not
    as they should be. Counting them is looking at each."""

    version = 3  # 2: what was seen, and round which part; 3: pads, and what the photo made before shows too
    checked: tuple[str, ...]
    note: str = ""
    part: str = ""
    seen: tuple[PartSeen, ...] = ()
    kind: Literal["audit"] = "audit"

    def __post_init__(self) -> None:
        if not self.checked:
            raise ValueError(tr("nothing is ticked; expected at least one step of the audit"))
        for step in self.checked:
            one_of(step, (*AUDIT_STEPS, PADS), "step")
        if len(self.seen) > MOST_SEEN:
            raise ValueError(tr("{count} parts; expected at most {most_seen}", count=len(self.seen),
                                most_seen=MOST_SEEN))
        if self.seen and not self.part:
            raise ValueError(tr("parts were seen round no part; expected the part that was worked on"))
        short_text(self.note, self.part)

    @property
    def words(self) -> str:
        """'C62 missing', or 'nothing amiss'."""
        return ", ".join(part.words for part in self.seen) or tr("nothing amiss")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        left = {part: tuple(step for step in missing if step not in self.checked or (self.part and self.part != part))
                for part, missing in facts.unaudited.items()}
        facts.unaudited = {part: missing for part, missing in left.items() if missing}
        facts.audits.append((facts.moment.epoch, self))
        facts.came_without |= {one.part for one in self.seen if one.what == MISSING and one.before}

    def tells(self, telling: Telling) -> None:
        if self.part and "counted" in self.checked:
            telling.sees_round(self.part, self.words, self.seen, PADS in self.checked)
