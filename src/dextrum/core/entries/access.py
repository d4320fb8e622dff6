"""How far the unit is open."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.entries.kind import EntryKind

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Access(EntryKind):
    """How far the unit is open now."""

    level: str
    kind: Literal["access"] = "access"

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.access = self.level
