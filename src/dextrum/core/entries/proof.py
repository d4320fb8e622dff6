"""One check of what must work."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import Activity, power_of_check

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Proof(EntryKind):
    """One check before hand-over. minutes: for how long it was tried, where that counts."""

    check: str
    passed: bool
    note: str = ""
    minutes: float = 0.0
    kind: Literal["proof"] = "proof"
    version = 2

    def __post_init__(self) -> None:
        require(self.minutes, 0.0, 100_000.0, "minutes")
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.proofs[self.check] = self
        facts.failing = "" if self.passed else self.check
        facts.left_out.pop(self.check, None)
        passed, minutes = facts.passes.get(self.check, (0, 0.0))
        facts.passes[self.check] = (passed + 1, minutes + self.minutes) if self.passed else (0, 0.0)
        if not self.passed:
            facts.passed_since[self.check] = 0
        elif self.check in facts.passed_since:
            facts.passed_since[self.check] += 1

    def does(self, board: Board) -> frozenset[Activity]:
        return power_of_check(board, self.check)

    def tells(self, telling: Telling) -> None:
        telling.say(
            "check",
            self.check,
            "passed" if self.passed else "failed",
            self.passed,
            apart=True,
            same=True,
            value=telling.hidden.get(self.check, float("nan")),
        )
