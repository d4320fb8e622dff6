"""What stands on a job, computed from its trail: where it is, what was done, what it waits for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import datetime

from dextrum.core.entries.draft import FactsDraft, StandingReading
from dextrum.core.looks import ASKS_FOR_ANOTHER, LOOKED_FOR_BY, PUT_RIGHT_BY
from dextrum.core.trail import (
    Audit,
    BoardLook,
    Cause,
    ComesAndGoes,
    DrawTrace,
    Entry,
    Fastened,
    Injection,
    Intake,
    Look,
    LotSuspect,
    Outcome,
    Override,
    OwnUnit,
    Paid,
    PartAlone,
    PartPromised,
    PartTaken,
    Photo,
    Proof,
    Quote,
    QuoteAnswer,
    RailVolts,
    Rework,
    ReworkPlan,
    ReworkStep,
    Supply,
    Swap,
    Touched,
    Wait,
    local_time,
    moments,
)
from dextrum.tongue import tr

STAGES = ("intake", "supply", "port", "board", "rework", "proof", "handover")
STAGE_WORDS = {
    "intake": tr("Intake"),
    "supply": tr("Supply"),
    "port": tr("Port readings"),
    "board": tr("Board readings"),
    "rework": tr("Rework"),
    "proof": tr("Proof"),
    "handover": tr("Hand-over"),
}

OWNERS_ANSWER = tr("owner's answer")


@dataclass(frozen=True)
class JobFacts:
    """Everything a view needs to know about a job at one moment.

    readings: the newest by epoch, point and method, of the board with everything on; apart: those with parts off, by
    what was off as well. either_way_up: the readings with whether the tester was turned over.
    board_looks: the latest by side; board_look_epochs: the epoch in which each was made. counted_before: what was
    counted round a part before heat went on it, with its epoch. audits: with theirs.
    swaps: the latest of each thing and symptom, in order. touched: pairs in continuity, in order. photos: with their
    times, in the order in which they came. comes_and_goes: what was said of a check's fault; passes: of checks, how
    often in a row since the last repair, and for how many minutes; failing: the check that was tried last and failed,
    while nothing was read since; left_out: checks left out on purpose, and why.
    comes_back: id of the closed job after which the unit came back. fasteners: the latest by fastener; fasteners_amiss:
    those found missing, rounded or of a wrong length.
    measured_alone: the latest by the part whose place it is to take.
    isolated: what is off now. rail_volts: of the current epoch, by rail check; injections: of the same, in order.
    on_supply: the last injection, while nothing was done since; warmed: parts that were ever seen to warm.
    tester_faults: entry and point of readings that are the tester's fault, see `reference.tester`; warm: of those that
    a board still warm from rework explains, see `reference.warm`. heated: when it was under heat.
    danger: signs of danger that were seen and not found gone since; own_cell_swollen: the unit's own cell must not go
    back. shaky_checks: those that have failed since the last repair, and passed just once since. cleaned: the port was
    cleaned after the last look. unaudited: reworked parts, and which steps of the audit are
    missing, since the board was last under heat. rework_plan: the plan that is followed; rework_steps: those done or
    left out since, with their times; planned_from: how many reworks there were by then. came_without: parts that a
    look found missing before any rework. wait_is_over: only where the
    time is known, see `with_time`; waits_on: the way up of the draw it waits for, if it does. quote, quote_answer: the
    price that was said last, and what the owner said to it. own_unit: where it is the shop's own. promised, taken:
    parts of a donor, by designator; suspect_lots: fitted parts whose lot fails more than it should, by designator.
    pack_version: the state of its pack that it stays on, empty where it follows. epoch: how many repairs there were;
    a port that is cleaned is none, since nothing on the board reads otherwise for it.
    """

    serial: str = ""
    model: str = ""
    pack_id: str = ""
    opened_at: datetime | None = None
    intake: Intake | None = None
    look: Look | None = None
    look_epoch: int = -1
    supplies: Mapping[tuple[int, str], Supply | DrawTrace] | None = None
    plugged_in: frozenset[tuple[int, str]] = frozenset()
    cell: str = "plugged"
    access: str = ""
    readings: Mapping[tuple[int, str, str], StandingReading] | None = None
    either_way_up: Mapping[tuple[int, str, str, bool], StandingReading] | None = None
    tester_faults: frozenset[tuple[str, str]] = frozenset()
    warm: frozenset[tuple[str, str]] = frozenset()
    heated: tuple[datetime, ...] = ()
    danger: frozenset[str] = frozenset()
    own_cell_swollen: bool = False
    cleaned: bool = False
    unaudited: Mapping[str, tuple[str, ...]] | None = None
    isolated: frozenset[str] = frozenset()
    apart: Mapping[tuple[int, str, str, frozenset[str]], StandingReading] | None = None
    rail_volts: Mapping[str, RailVolts] | None = None
    injections: tuple[Injection, ...] = ()
    on_supply: Injection | None = None
    warmed: frozenset[str] = frozenset()
    board_looks: Mapping[str, BoardLook] | None = None
    board_look_epochs: Mapping[str, int] = field(default_factory=dict)
    counted_before: tuple[tuple[int, BoardLook], ...] = ()
    audits: tuple[tuple[int, Audit], ...] = ()
    swaps: tuple[Swap, ...] = ()
    touched: tuple[Touched, ...] = ()
    photos: tuple[tuple[Photo, datetime], ...] = ()
    comes_back: str = ""
    fasteners: Mapping[str, Fastened] | None = None
    fasteners_amiss: Mapping[str, Fastened] | None = None
    comes_and_goes: Mapping[str, ComesAndGoes] | None = None
    passes: Mapping[str, tuple[int, float]] | None = None
    failing: str = ""
    left_out: Mapping[str, str] | None = None
    measured_alone: Mapping[str, PartAlone] | None = None
    reworks: tuple[tuple[int, Rework], ...] = ()
    came_without: frozenset[str] = frozenset()
    rework_plan: ReworkPlan | None = None
    rework_steps: tuple[tuple[ReworkStep, datetime], ...] = ()
    planned_from: int = 0
    cause: Cause | None = None
    cause_epoch: int = -1
    proofs: Mapping[str, Proof] | None = None
    shaky_checks: frozenset[str] = frozenset()
    wait: Wait | None = None
    wait_is_over: bool = False
    waits_on: str = ""
    outcome: Outcome | None = None
    closed_at: datetime | None = None
    quote: Quote | None = None
    quote_answer: QuoteAnswer | None = None
    own_unit: OwnUnit | None = None
    paid: tuple[Paid, ...] = ()
    pack_version: str = ""
    promised: Mapping[str, PartPromised] | None = None
    taken: Mapping[str, PartTaken] | None = None
    suspect_lots: Mapping[str, LotSuspect] | None = None
    overrides: tuple[tuple[int, Override], ...] = ()
    epoch: int = 0

    @property
    def stage(self) -> str:
        """How far along the order of work the job is."""
        if self.outcome is not None:
            return "handover"
        if self.proofs and (self.epoch or all(proof.passed for proof in self.proofs.values())):
            return "proof"  # a check that was tried before any repair, and failed, is still diagnosis
        if self.epoch:  # a port that was only cleaned is still being looked into
            return "rework"
        if self.readings:
            # Port contacts are read with the unit closed; anything further is recorded with its access level.
            return "board" if self.access else "port"
        return "supply" if self.look is not None or self.supplies else "intake"

    @property
    def waits_for(self) -> str:
        """What holds the job up, in words: what was written down, or an answer to the price that was said; empty where
        nothing does."""
        if self.wait is not None:
            return self.wait.words or tr("waits")
        return OWNERS_ANSWER if self.quote is not None and self.quote_answer is None and self.outcome is None else ""

    @property
    def set_aside(self) -> frozenset[tuple[str, str]]:
        """Entry and point of readings that say nothing of the board."""
        return self.tester_faults | self.warm

    def reading(self, point: str, method: str, epoch: int | None = None) -> StandingReading | None:
        """The reading of this epoch (the current one by default), of the board with everything on."""
        table = self.readings or {}
        return table.get((self.epoch if epoch is None else epoch, point, method))

    def reading_apart(self, point: str, method: str) -> StandingReading | None:
        """The reading since the last repair with what is off now."""
        return (self.apart or {}).get((self.epoch, point, method, self.isolated)) if self.isolated else None

    @property
    def shown_readings(self) -> Mapping[tuple[int, str, str], StandingReading]:
        """The readings with, over them, those that were taken with just what is off now."""
        with_parts_off = {(epoch, point, method): reading for (epoch, point, method, off), reading
                          in (self.apart or {}).items() if off == self.isolated}
        return {**(self.readings or {}), **with_parts_off}

    def latest_reading(self, point: str, method: str) -> StandingReading | None:
        """The newest reading of any epoch."""
        for epoch in range(self.epoch, -1, -1):
            found = self.reading(point, method, epoch)
            if found is not None:
                return found
        return None

    @property
    def parts_seen(self) -> Mapping[str, str]:
        """Parts that were seen to be amiss, and how, until they are replaced or otherwise put right, or until the same
        round is looked over for it again and it is not there. What asks for another part stays until one is fitted:
        that it is not said twice is no sign that it is whole."""
        found = {s.part: ("", self.board_look_epochs.get(side, -1), s.what)
                 for side, look in (self.board_looks or {}).items() for s in look.seen}
        found |= {s.part: (look.before_heat_on, epoch, s.what)
                  for epoch, look in self.counted_before for s in look.seen}
        for epoch, audit in self.audits:
            found = {part: seen for part, seen in found.items()
                     if not audit.part or seen[0] != audit.part or seen[2] in ASKS_FOR_ANOTHER
                     or LOOKED_FOR_BY.get(seen[2], "counted") not in audit.checked}
            found |= {s.part: (audit.part, epoch, s.what) for s in audit.seen}
        return {part: what for part, (_, epoch, what) in found.items() if not any(
            rework.part == part and since > epoch and (
                rework.action == "replace" or what in PUT_RIGHT_BY.get(rework.action, ()))
            for since, rework in self.reworks)}

    def drawn(self, orientation: str) -> bool:
        """Whether the draw was read at the port, this way up, since the last repair."""
        return (self.epoch, orientation) in self.plugged_in

    def overridden(self, gate: str) -> bool:
        """Whether the gate was passed with a reason since the last repair."""
        return any(o.gate == gate and epoch == self.epoch for epoch, o in self.overrides)


def job_facts(entries: Iterable[Entry]) -> JobFacts:
    """Fold the standing trail into facts."""
    f = FactsDraft()
    for entry, f.moment in moments(entries):
        if entry.payload.weighs:
            f.on_supply = None
        entry.payload.fold(f, entry.id, entry.at)
        f.swollen = f.swollen or "swollen" in f.danger
        if entry.payload.ends_wait:
            f.wait, f.waits_on, f.last_drawn = None, "", entry.payload.drawn_way
    return JobFacts(
        f.serial, f.model, f.pack_id, f.opened_at, f.intake, f.look, f.look_epoch, f.supplies, frozenset(f.plugged_in),
        f.cell, f.access, f.readings, f.either_way_up, heated=tuple(f.heated), danger=f.danger,
        own_cell_swollen=f.swollen, cleaned=f.cleaned, unaudited=f.unaudited, isolated=f.moment.isolated,
        apart=f.apart, rail_volts=f.rail_volts, injections=tuple(f.injections), on_supply=f.on_supply,
        failing=f.failing,
        warmed=frozenset(f.warmed), board_looks=f.board_looks,
        board_look_epochs=f.board_look_epochs,
        counted_before=tuple(f.counted_before), audits=tuple(f.audits), swaps=tuple(f.swaps.values()),
        reworks=tuple(f.reworks),
        came_without=frozenset(f.came_without),
        touched=tuple(f.touched), photos=tuple(f.photos.values()), comes_back=f.comes_back,
        fasteners=f.fasteners, fasteners_amiss=f.fasteners_amiss,
        comes_and_goes=f.comes_and_goes,
        passes=f.passes, left_out=f.left_out, measured_alone=f.measured_alone,
        rework_plan=f.rework_plan, rework_steps=tuple(f.rework_steps),
        planned_from=f.planned_from, cause=f.cause, cause_epoch=f.cause_epoch,
        proofs=f.proofs, shaky_checks=frozenset(check for check, passed in f.passed_since.items() if passed == 1),
        wait=f.wait, waits_on=f.waits_on, outcome=f.outcome, closed_at=f.closed_at, quote=f.quote,
        quote_answer=f.quote_answer, own_unit=f.own_unit, paid=tuple(f.paid), promised=f.promised, taken=f.taken,
        suspect_lots=f.suspect_lots, pack_version=f.pack_version, overrides=tuple(f.overrides), epoch=f.moment.epoch)


def with_time(facts: JobFacts, now: datetime) -> JobFacts:
    """With whether the job's wait has come to its end. now: with a zone; `until` is in the bench's own clock."""
    if facts.wait is None or not facts.wait.until:
        return facts
    until = local_time(facts.wait.until)
    return replace(facts, wait_is_over=until is not None and until <= now.astimezone().replace(tzinfo=None))
