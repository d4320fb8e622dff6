"""One check of what must work."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import Activity, power_of_check

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Proof(EntryKind):
    """One check before hand-over."""

    check: str
    passed: bool
    note: str = ""
    kind: Literal["proof"] = "proof"

    def __post_init__(self) -> None:
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.proofs[self.check] = self
        if not self.passed:
            facts.passed_since[self.check] = 0
        elif self.check in facts.passed_since:
            facts.passed_since[self.check] += 1

    def does(self, board: Board) -> frozenset[Activity]:
        return power_of_check(board, self.check)

    def tells(self, telling: Telling) -> None:
        telling.say("check", self.check, "passed" if self.passed else "failed", self.passed, apart=True, same=True)
