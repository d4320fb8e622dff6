"""A unit that is put together, as far as a check of the proof needs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.entries.fastened import Fastened
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.entries.draft import FactsDraft

MOST_FASTENERS = 500


@dataclass(frozen=True)
class PutTogether(EntryKind):
    """Fasteners of the pack's map that are in their place, said at once. fasteners: their ids. What is missing is never
    among them: another one that was found for it is said by itself."""

    fasteners: tuple[str, ...]
    kind: Literal["put_together"] = "put_together"

    def __post_init__(self) -> None:
        if not self.fasteners or not all(self.fasteners) or len(self.fasteners) > MOST_FASTENERS:
            raise ValueError(tr("{count} fasteners; expected 1 to {most_fasteners} ids of the pack's",
                                count=len(self.fasteners), most_fasteners=MOST_FASTENERS))

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        for name in self.fasteners:
            before = facts.fasteners.get(name)
            if before is None or before.state != "missing":
                Fastened(name, "in").fold(facts, entry_id, at)
