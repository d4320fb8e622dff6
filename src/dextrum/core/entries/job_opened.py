"""A unit came to the bench."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class JobOpened(EntryKind):
    """A unit came to the bench. comes_back: id of the closed job after which it came back, if it did."""

    ends_wait = False
    version = 2
    serial: str
    model: str
    pack_id: str
    comes_back: str = ""
    kind: Literal["job_opened"] = "job_opened"

    def __post_init__(self) -> None:
        if not self.serial.strip():
            raise ValueError(tr("the serial is empty; expected what the label says"))
        short_text(self.serial, self.model, self.pack_id, self.comes_back)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.serial, facts.model, facts.pack_id = self.serial, self.model, self.pack_id
        facts.opened_at, facts.comes_back = at, self.comes_back
