"""What was seen in the port."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal

from dextrum.core.board.bounds import one_of, short_text
from dextrum.core.entries.kind import EntryKind
from dextrum.core.looks import LOOKS
from dextrum.core.safety.signs import SIGNS
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft



@dataclass(frozen=True)
class Look(EntryKind):
    """What was seen in the port, and at which contacts. signs: of danger, see `safety.signs`."""

    version = 3  # 2: loose anchors; 3: signs
    findings: tuple[str, ...]
    contacts: tuple[str, ...] = ()
    note: str = ""
    signs: tuple[str, ...] = ()
    kind: Literal["look"] = "look"

    def __post_init__(self) -> None:
        if not self.findings:
            raise ValueError(tr("nothing is marked; expected at least one finding, or clean"))
        for finding in self.findings:
            one_of(finding, LOOKS, "finding")
        if "clean" in self.findings and len(self.findings) > 1:
            raise ValueError(tr("clean is marked beside other findings; expected clean alone"))
        for sign in self.signs:
            one_of(sign, SIGNS, "sign")
        short_text(self.note)

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.look, facts.look_epoch, facts.cleaned = self, facts.moment.epoch, False
        facts.see(self.signs)

    def tells(self, telling: Telling) -> None:
        telling.say("look", "port", ", ".join(self.findings), self)
