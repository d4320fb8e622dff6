"""Facts of a job while its trail is folded, and a reading as it stands."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import datetime
from typing import TYPE_CHECKING

from dextrum.core.entries.moment import BEGINNING, Moment

if TYPE_CHECKING:
    from dextrum.core.entries.audit import Audit
    from dextrum.core.entries.board_look import BoardLook
    from dextrum.core.entries.cause import Cause
    from dextrum.core.entries.comes_and_goes import ComesAndGoes
    from dextrum.core.entries.draw_trace import DrawTrace
    from dextrum.core.entries.fastened import Fastened
    from dextrum.core.entries.injection import Injection
    from dextrum.core.entries.intake import Intake
    from dextrum.core.entries.look import Look
    from dextrum.core.entries.lot_suspect import LotSuspect
    from dextrum.core.entries.outcome import Outcome
    from dextrum.core.entries.override import Override
    from dextrum.core.entries.own_unit import OwnUnit
    from dextrum.core.entries.paid import Paid
    from dextrum.core.entries.part_alone import PartAlone
    from dextrum.core.entries.part_promised import PartPromised
    from dextrum.core.entries.part_taken import PartTaken
    from dextrum.core.entries.photo import Photo
    from dextrum.core.entries.proof import Proof
    from dextrum.core.entries.quote import Quote
    from dextrum.core.entries.quote_answer import QuoteAnswer
    from dextrum.core.entries.rail_volts import RailVolts
    from dextrum.core.entries.rework import Rework
    from dextrum.core.entries.rework_plan import ReworkPlan
    from dextrum.core.entries.rework_step import ReworkStep
    from dextrum.core.entries.supply import Supply
    from dextrum.core.entries.swap import Swap
    from dextrum.core.entries.touched import Touched
    from dextrum.core.entries.wait import Wait


@dataclass(frozen=True)
class StandingReading:
    """The latest reading of a point by a method, with the repair epoch it was taken in."""

    entry_id: str
    at: datetime
    epoch: int
    value: float
    wavering: bool
    meter: str
    board_celsius: float | None = None
    turned: bool = False
    isolated: frozenset[str] = frozenset()
    as_read: float | None = None

    @property
    def shown(self) -> float:
        """What the meter showed; `value` is that as the meter in hand would have read it, see `reference.warm`."""
        return self.value if self.as_read is None else self.as_read


@dataclass
class FactsDraft:
    """See `core.job.JobFacts`. told, seen, cleared: signs of danger, by whom. passed_since: of checks that failed, how
    often they have passed since."""

    moment: Moment = BEGINNING
    serial: str = ""
    model: str = ""
    pack_id: str = ""
    opened_at: datetime | None = None
    comes_back: str = ""
    pack_version: str = ""
    intake: Intake | None = None
    look: Look | None = None
    look_epoch: int = -1
    cleaned: bool = False
    cell: str = "plugged"
    access: str = ""
    supplies: dict[tuple[int, str], Supply | DrawTrace] = field(default_factory=dict)
    plugged_in: set[tuple[int, str]] = field(default_factory=set)
    readings: dict[tuple[int, str, str], StandingReading] = field(default_factory=dict)
    either_way_up: dict[tuple[int, str, str, bool], StandingReading] = field(default_factory=dict)
    apart: dict[tuple[int, str, str, frozenset[str]], StandingReading] = field(default_factory=dict)
    touched: list[Touched] = field(default_factory=list)
    comes_and_goes: dict[str, ComesAndGoes] = field(default_factory=dict)
    passes: dict[str, tuple[int, float]] = field(default_factory=dict)
    left_out: dict[str, str] = field(default_factory=dict)
    fasteners: dict[str, Fastened] = field(default_factory=dict)
    fasteners_amiss: dict[str, Fastened] = field(default_factory=dict)
    photos: dict[str, tuple[Photo, datetime]] = field(default_factory=dict)
    measured_alone: dict[str, PartAlone] = field(default_factory=dict)
    reworks: list[tuple[int, Rework]] = field(default_factory=list)
    came_without: set[str] = field(default_factory=set)
    heated: list[datetime] = field(default_factory=list)
    rework_plan: ReworkPlan | None = None
    rework_steps: list[tuple[ReworkStep, datetime]] = field(default_factory=list)
    planned_from: int = 0
    unaudited: dict[str, tuple[str, ...]] = field(default_factory=dict)
    cause: Cause | None = None
    cause_epoch: int = -1
    proofs: dict[str, Proof] = field(default_factory=dict)
    passed_since: dict[str, int] = field(default_factory=dict)
    failing: str = ""
    overrides: list[tuple[int, Override]] = field(default_factory=list)
    rail_volts: dict[str, RailVolts] = field(default_factory=dict)
    injections: list[Injection] = field(default_factory=list)
    on_supply: Injection | None = None
    warmed: set[str] = field(default_factory=set)
    board_looks: dict[str, BoardLook] = field(default_factory=dict)
    board_look_epochs: dict[str, int] = field(default_factory=dict)
    counted_before: list[tuple[int, BoardLook]] = field(default_factory=list)
    audits: list[tuple[int, Audit]] = field(default_factory=list)
    swaps: dict[tuple[str, str], Swap] = field(default_factory=dict)
    told: frozenset[str] = frozenset()
    seen: set[str] = field(default_factory=set)
    cleared: set[str] = field(default_factory=set)
    swollen: bool = False
    wait: Wait | None = None
    waits_on: str = ""
    last_drawn: str = ""
    quote: Quote | None = None
    quote_answer: QuoteAnswer | None = None
    own_unit: OwnUnit | None = None
    paid: list[Paid] = field(default_factory=list)
    promised: dict[str, PartPromised] = field(default_factory=dict)
    taken: dict[str, PartTaken] = field(default_factory=dict)
    suspect_lots: dict[str, LotSuspect] = field(default_factory=dict)
    outcome: Outcome | None = None
    closed_at: datetime | None = None

    @property
    def danger(self) -> frozenset[str]:
        """Signs that stand."""
        return frozenset((self.told | self.seen) - self.cleared)

    def see(self, signs: tuple[str, ...]) -> None:
        """Signs of danger are seen, again or for the first time."""
        self.seen.update(signs)
        self.cleared -= set(signs)
