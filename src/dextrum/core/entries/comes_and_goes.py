"""That what a check tries comes and goes."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import require, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft


@dataclass(frozen=True)
class ComesAndGoes(EntryKind):
    """The fault that a check would show is not always there: by the owner's words, or as it was seen.

    check: of the pack's checks. shows: its chance to show in one try; 0 where it goes by time. every_minutes: it shows
    once in so many minutes on average; 0 where it goes by tries. words: what brings it on, such as warm or wiggled.
    """

    check: str
    shows: float = 0.0
    every_minutes: float = 0.0
    words: str = ""
    kind: Literal["comes_and_goes"] = "comes_and_goes"

    def __post_init__(self) -> None:
        if not self.check:
            raise ValueError(tr("no check is named; expected one of the pack's"))
        require(self.shows, 0.0, 1.0, "shows")
        require(self.every_minutes, 0.0, 10_000.0, "every_minutes")
        if (self.shows > 0.0) == (self.every_minutes > 0.0):
            raise ValueError(tr("both a chance and minutes, or neither; expected one of them"))
        short_text(self.words)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.comes_and_goes[self.check] = self

    def tells(self, telling: Telling) -> None:
        from dextrum.core.assumptions.trials import HIDES_IN_ONE_TRY

        # A try in which it might as well have stayed away says little, one that was made before too.
        telling.hides(self.check, 1.0 - self.shows if self.shows else HIDES_IN_ONE_TRY)

