"""A screw, ribbon or clip that was undone, done up again, or found amiss."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

FastenerState = Literal["out", "missing", "rounded", "wrong_length", "in"]
AMISS = frozenset({"missing", "rounded", "wrong_length"})


@dataclass(frozen=True)
class Fastened(EntryKind):
    """One fastener of the pack's map. fastener: its id. state: out, in again, or found missing, rounded, or of a wrong
    length. length_mm: of a wrong one, where it was measured."""

    ends_wait = False
    fastener: str
    state: FastenerState
    length_mm: float = 0.0
    kind: Literal["fastened"] = "fastened"

    def __post_init__(self) -> None:
        if not self.fastener:
            raise ValueError(tr("no fastener is named; expected one of the pack's"))
        require(self.length_mm, 0.0, 60.0, "length_mm")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        before = facts.fasteners.get(self.fastener)
        facts.fasteners[self.fastener] = self if self.length_mm or before is None or self.state != "in" else \
            Fastened(self.fastener, "in", before.length_mm)
        if self.state in AMISS:
            facts.fasteners_amiss[self.fastener] = self
        elif self.state == "in" and before is not None and before.state == "missing":
            facts.fasteners_amiss.pop(self.fastener, None)  # one was found for it
