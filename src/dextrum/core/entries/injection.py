"""Current put into a rail from a bench supply, to see what warms."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Literal, get_args

from dextrum.core.board.bounds import require
from dextrum.core.entries.kind import EntryKind
from dextrum.core.safety.activities import Activity
from dextrum.tongue import tr

if TYPE_CHECKING:
    from datetime import datetime

    from dextrum.core.board import Board
    from dextrum.core.diagnosis.telling import Telling
    from dextrum.core.entries.draft import FactsDraft


SeenBy = Literal["camera", "spray", "alcohol", "touch"]
WAYS_TO_SEE: tuple[SeenBy, ...] = get_args(SeenBy)


@dataclass(frozen=True)
class Injection(EntryKind):
    """Voltage put on a rail with a current limit, to see what warms. warmed: the part, empty when nothing did. fed: the
    rail that was held at its own voltage meanwhile, for a line that idles at it. watts: what volts times amps were kept
    at, from `amps` at few volts up to `volts` at few amps; None where both limits stood as they are."""

    version = 3  # 2: fed; 3: watts
    net: str
    volts: float
    amps: float
    warmed: str = ""
    seen_by: SeenBy = "camera"
    fed: str = ""
    watts: float | None = None
    kind: Literal["injection"] = "injection"

    def __post_init__(self) -> None:
        if not self.net:
            raise ValueError(tr("no rail is named; expected the one that was injected into"))
        require(self.volts, 0.001, 30.0, "volts")
        require(self.amps, 0.001, 20.0, "amps")
        if self.watts is not None:
            require(self.watts, 0.001, 100.0, "watts")

    def fold(self, facts: FactsDraft, entry_id: str, at: datetime) -> None:
        facts.injections.append(self)
        facts.on_supply = self
        if self.warmed:
            facts.warmed.add(self.warmed)

    def does(self, board: Board) -> frozenset[Activity]:
        return frozenset({Activity.INJECTION})

    def tells(self, telling: Telling) -> None:
        seen = tr("{warmed} warms", warmed=self.warmed) if self.warmed else tr("nothing warms")
        telling.say("warmth", self.net, seen, self, value=self.volts, apart=True, how=tr("warmth {seen_by}",
                                                                                         seen_by=self.seen_by))
