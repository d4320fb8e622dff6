"""A gate was passed, with the reason."""

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
class Override(EntryKind):
    """A gate was passed, with the reason."""

    gate: str
    reason: str
    kind: Literal["override"] = "override"

    def __post_init__(self) -> None:
        if not self.reason.strip():
            raise ValueError(tr("the reason is empty; expected a few words"))
        short_text(self.reason)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.overrides.append((facts.moment.epoch, self))
