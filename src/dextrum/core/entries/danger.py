"""Signs of danger, seen or looked into."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import one_of, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.signs import SIGNS
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Danger(EntryKind):
    """Signs of danger that were seen on the unit; or that were looked into with the unit isolated, opened and its cell
    out, and no longer stand in the way."""

    signs: tuple[str, ...]
    state: Literal["seen", "cleared"] = "seen"
    note: str = ""
    kind: Literal["danger"] = "danger"

    def __post_init__(self) -> None:
        if not self.signs:
            raise ValueError(tr("no sign is named; expected one of ") + ", ".join(SIGNS))
        for sign in self.signs:
            one_of(sign, SIGNS, "sign")
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        if self.state == "seen":
            facts.see(self.signs)
        else:
            facts.cleared.update(self.signs)
