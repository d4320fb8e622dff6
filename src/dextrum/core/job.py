"""What stands on a job, computed from its trail: where it is, what was done, what it waits for."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime

from dextrum.core.looks import BoardLook, Danger, Look, Swap
from dextrum.core.safety.signs import signs_in
from dextrum.core.trail import (
    AUDIT_STEPS,
    HOT_ACTIONS,
    Access,
    Audit,
    Cause,
    Cell,
    DrawTrace,
    Entry,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    Outcome,
    Override,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Supply,
    Wait,
    local_time,
    put_back,
    standing,
    with_isolation,
)

STAGES = ("intake", "supply", "port", "board", "rework", "proof", "handover")
STAGE_WORDS = {"intake": "Intake", "supply": "Supply", "port": "Port readings", "board": "Board readings",
               "rework": "Rework", "proof": "Proof", "handover": "Hand-over"}


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


@dataclass(frozen=True)
class JobFacts:
    """Everything a view needs to know about a job at one moment.

    readings: the newest by epoch, point and method, of the board with everything on; apart: those with parts off, by
    what was off as well. either_way_up: the readings with whether the tester was turned over.
    board_looks: the latest by side. swaps: the latest of each thing and symptom, in order.
    isolated: what is off now. rail_volts: of the current epoch, by rail check; injections: of the same, in order.
    tester_faults: entry and point of readings that are the tester's fault, see `reference.tester`; warm: of those that
    a board still warm from rework explains, see `reference.warm`. heated: when it was under heat.
    danger: signs of danger that were seen and not found gone since; own_cell_swollen: the unit's own cell must not go
    back. shaky_checks: those that have failed since the last repair, and passed just once since. cleaned: the port was
    cleaned after the last look. unaudited: reworked parts, and which steps of the audit are
    missing, since the board was last under heat. wait_is_over: only where the time is known, see `with_time`; waits_on:
    the way up of the draw it waits for, if it does.
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
    board_looks: Mapping[str, BoardLook] | None = None
    swaps: tuple[Swap, ...] = ()
    reworks: tuple[tuple[int, Rework], ...] = ()
    cause: Cause | None = None
    cause_epoch: int = -1
    proofs: Mapping[str, Proof] | None = None
    shaky_checks: frozenset[str] = frozenset()
    wait: Wait | None = None
    wait_is_over: bool = False
    waits_on: str = ""
    outcome: Outcome | None = None
    overrides: tuple[tuple[int, Override], ...] = ()
    epoch: int = 0

    @property
    def stage(self) -> str:
        """How far along the order of work the job is."""
        if self.outcome is not None:
            return "handover"
        if self.proofs and (self.reworks or all(proof.passed for proof in self.proofs.values())):
            return "proof"  # a check that was tried before any repair, and failed, is still diagnosis
        if self.reworks:
            return "rework"
        if self.readings:
            # Port contacts are read with the unit closed; anything further is recorded with its access level.
            return "board" if self.access else "port"
        return "supply" if self.look is not None or self.supplies else "intake"

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
        """Parts that were seen to be amiss, and how, until they are replaced."""
        replaced = {rework.part for _, rework in self.reworks if rework.action == "replace"}
        return {s.part: s.what for look in (self.board_looks or {}).values() for s in look.seen
                if s.part not in replaced}

    def drawn(self, orientation: str) -> bool:
        """Whether the draw was read at the port, this way up, since the last repair."""
        return (self.epoch, orientation) in self.plugged_in

    def overridden(self, gate: str) -> bool:
        """Whether the gate was passed with a reason since the last repair."""
        return any(o.gate == gate and epoch == self.epoch for epoch, o in self.overrides)


def job_facts(entries: Iterable[Entry]) -> JobFacts:
    """Fold the standing trail into facts."""
    f: dict[str, object] = {}
    supplies: dict[tuple[int, str], Supply | DrawTrace] = {}
    plugged_in: set[tuple[int, str]] = set()
    readings: dict[tuple[int, str, str], StandingReading] = {}
    either_way_up: dict[tuple[int, str, str, bool], StandingReading] = {}
    reworks: list[tuple[int, Rework]] = []
    proofs: dict[str, Proof] = {}
    passed_since: dict[str, int] = {}
    overrides: list[tuple[int, Override]] = []
    isolated: frozenset[str] = frozenset()
    apart: dict[tuple[int, str, str, frozenset[str]], StandingReading] = {}
    rail_volts: dict[str, RailVolts] = {}
    injections: list[Injection] = []
    board_looks: dict[str, BoardLook] = {}
    swaps: dict[tuple[str, str], Swap] = {}
    told: frozenset[str] = frozenset()
    last_drawn = ""
    seen: set[str] = set()
    cleared: set[str] = set()
    swollen = False
    heated: list[datetime] = []
    unaudited: dict[str, tuple[str, ...]] = {}
    epoch = 0
    for entry in standing(entries):
        p = entry.payload
        if isinstance(p, JobOpened):
            f.update(serial=p.serial, model=p.model, pack_id=p.pack_id, opened_at=entry.at)
        elif isinstance(p, Intake):
            f["intake"] = p
            told = frozenset(p.signs) if p.signs is not None else signs_in(p.complaint, p.history, p.condition)
        elif isinstance(p, Look):
            f.update(look=p, look_epoch=epoch, cleaned=False)
            seen.update(p.signs)
            cleared -= set(p.signs)
        elif isinstance(p, Danger):
            if p.state == "seen":
                seen.update(p.signs)
                cleared -= set(p.signs)
            else:
                cleared.update(p.signs)
        elif isinstance(p, Audit):
            for part, missing in list(unaudited.items()):
                left = tuple(step for step in missing if step not in p.checked)
                unaudited[part] = left
                if not left:
                    del unaudited[part]
        elif isinstance(p, BoardLook):
            board_looks[p.side] = p
        elif isinstance(p, Swap):
            swaps[p.what, p.symptom] = p
        elif isinstance(p, Supply | DrawTrace):
            supplies[epoch, p.orientation] = p
            if p.supply_class != "bench":
                plugged_in.add((epoch, p.orientation))
        elif isinstance(p, Cell):
            f["cell"] = p.state
            if p.state == "new":
                swollen = False
        elif isinstance(p, Access):
            f["access"] = p.level
        elif isinstance(p, Readings):
            for r in p.readings:
                key = epoch, r.point, p.method.value
                found = StandingReading(entry.id, entry.at, epoch, r.value, r.wavering, p.meter, p.board_celsius,
                                        p.turned, isolated)
                if isolated:
                    apart[*key, isolated] = found
                else:
                    readings[key] = either_way_up[*key, p.turned] = found
        elif isinstance(p, Isolation):
            isolated = with_isolation(isolated, p)
        elif isinstance(p, RailVolts):
            rail_volts[p.rail] = p
        elif isinstance(p, Injection):
            injections.append(p)
        elif isinstance(p, Rework):
            if p.action == "clean":
                f["cleaned"] = True
            else:
                epoch += 1
                proofs.clear()
                passed_since.clear()
                rail_volts.clear()
                injections.clear()
            if p.action in HOT_ACTIONS:
                heated.append(entry.at)
                unaudited[p.part] = tuple(step for step in AUDIT_STEPS if step not in p.audit)
                if not unaudited[p.part]:
                    del unaudited[p.part]
            isolated = put_back(isolated, p.part)
            reworks.append((epoch, p))
        elif isinstance(p, Cause):
            f.update(cause=p, cause_epoch=epoch)
        elif isinstance(p, Proof):
            proofs[p.check] = p
            if not p.passed:
                passed_since[p.check] = 0
            elif p.check in passed_since:
                passed_since[p.check] += 1
        elif isinstance(p, Outcome):
            f["outcome"] = p
        elif isinstance(p, Override):
            overrides.append((epoch, p))
        swollen = swollen or "swollen" in (told | seen) - cleared
        if isinstance(p, Wait):
            f.update(wait=p, waits_on=last_drawn)
        elif not isinstance(p, JobOpened | Intake):
            f.pop("wait", None)
            last_drawn = p.orientation if isinstance(p, Supply | DrawTrace) else ""
    return JobFacts(**f, supplies=supplies, plugged_in=frozenset(plugged_in), readings=readings,  # type: ignore[arg-type]
                    either_way_up=either_way_up, reworks=tuple(reworks), proofs=proofs, overrides=tuple(overrides),
                    shaky_checks=frozenset(check for check, passed in passed_since.items() if passed == 1),
                    epoch=epoch, isolated=isolated, apart=apart, rail_volts=rail_volts,
                    injections=tuple(injections), board_looks=board_looks, swaps=tuple(swaps.values()),
                    heated=tuple(heated), danger=frozenset((told | seen) - cleared), own_cell_swollen=swollen,
                    unaudited=unaudited)


def with_time(facts: JobFacts, now: datetime) -> JobFacts:
    """With whether the job's wait has come to its end. now: with a zone; `until` is in the bench's own clock."""
    if facts.wait is None or not facts.wait.until:
        return facts
    until = local_time(facts.wait.until)
    return replace(facts, wait_is_over=until is not None and until <= now.astimezone().replace(tzinfo=None))
