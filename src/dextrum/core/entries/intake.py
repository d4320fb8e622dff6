"""What the owner says, and what came along."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import iso_time, one_of, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.signs import SIGNS, signs_in

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft

REPORTED = "reported"
"""How the diagnosis speaks of a symptom that the owner has."""


@dataclass(frozen=True)
class Intake(EntryKind):
    """What the owner says, what came along, condition, and when it must be back. The latest one counts.

    signs: of danger, as ticked; None where nobody was asked, and then the words are read for them. posted: it goes back
    by post.
    """

    version = 3  # 2: signs; 3: posted
    ends_wait = False
    complaint: str = ""
    present: tuple[str, ...] = ()
    absent: tuple[str, ...] = ()
    history: str = ""
    came_along: str = ""
    condition: str = ""
    due: str = ""
    signs: tuple[str, ...] | None = None
    posted: bool = False
    kind: Literal["intake"] = "intake"

    def __post_init__(self) -> None:
        for sign in self.signs or ():
            one_of(sign, SIGNS, "sign")
        short_text(self.complaint, self.history, self.came_along, self.condition, self.due)
        iso_time(self.due)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.intake = self
        facts.told = frozenset(self.signs) if self.signs is not None else signs_in(
            self.complaint, self.history, self.condition)

    def tells(self, telling: Telling) -> None:
        telling.forget("symptom")
        for present, ids in ((True, self.present), (False, self.absent)):
            for symptom in ids:
                telling.say(
                    "symptom", symptom, REPORTED if present else "not so", present, from_the_first=True
                )
