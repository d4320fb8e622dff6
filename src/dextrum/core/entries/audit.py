"""What was checked round reworked parts, later than the rework was written down."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import one_of, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.entries.rework import AUDIT_STEPS

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Audit(EntryKind):
    """What was checked round the reworked parts after the rework had been written down. checked: of AUDIT_STEPS."""

    checked: tuple[str, ...]
    note: str = ""
    kind: Literal["audit"] = "audit"

    def __post_init__(self) -> None:
        if not self.checked:
            raise ValueError("nothing is ticked; expected at least one step of the audit")
        for step in self.checked:
            one_of(step, AUDIT_STEPS, "step")
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        left = {part: tuple(step for step in missing if step not in self.checked)
                for part, missing in facts.unaudited.items()}
        facts.unaudited = {part: missing for part, missing in left.items() if missing}
