"""A check that is left out on purpose."""

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
class LeftOut(EntryKind):
    """A check that will not be made before the unit goes back; it stands on the sheet. check: of the pack's checks.
    reason: why not."""

    check: str
    reason: str
    kind: Literal["left_out"] = "left_out"

    def __post_init__(self) -> None:
        if not self.check or not self.reason.strip():
            raise ValueError(tr("no check, or no reason; expected both"))
        short_text(self.reason)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.left_out[self.check] = self.reason
