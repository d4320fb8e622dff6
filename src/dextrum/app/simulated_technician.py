"""Does what the advice says on a simulated board, for demo data, training and tests."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from typing import Any, Protocol

import numpy as np

from dextrum.app.assess import Assessment, assess
from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.elimination import INJECT_MINUTES, part_access
from dextrum.core.advice.looking import look_access
from dextrum.core.board import Fault, Method, Side
from dextrum.core.job import job_facts
from dextrum.core.looks import BoardLook, Danger, Look, PartSeen
from dextrum.core.trail import (
    AUDIT_STEPS,
    Access,
    Audit,
    Cause,
    Cell,
    DrawTrace,
    Entry,
    Gear,
    Injection,
    Intake,
    Isolation,
    JobOpened,
    Outcome,
    Payload,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Rework,
    Supply,
    Wait,
)
from dextrum.instruments.simulated_board import SimulatedBoard
from dextrum.instruments.simulated_draw import SimulatedDraw
from dextrum.store.entries import new_entry

Stop = Callable[[Action, tuple[Entry, ...]], bool]
OBSERVING = frozenset({"look", "supply", "scan", "measure", "recheck"})


class Meter(Protocol):
    """What a unit is read with; each world has its own."""

    @property
    def name(self) -> str: ...


class Unit(Protocol):
    """What a unit on the bench answers, whichever world it comes from."""

    def read(self, point_id: str, method: Method, meter: Any) -> float: ...
    def supply(self, orientation: str, minute: float = ..., cell_known_good: bool = ...) -> tuple[
            float, float, str]: ...
    def draw(self, orientation: str, /) -> SimulatedDraw: ...
    def functions_work(self, functions: Sequence[str]) -> bool: ...
    def rail_volts(self, rail: str, orientation: str) -> float: ...
    def inject(self, net: str, volts: float, amps: float, seen_by: str = ...) -> str: ...
    def look_over(self, side: Side) -> tuple[PartSeen, ...]: ...
    def isolate(self, change: Isolation) -> None: ...
    def mend(self, part: str, action: str) -> object: ...


class HarmedUnit(Unit, Protocol):
    """One of which it is known what is wrong. harmful: faults that break something it must do."""

    faults: list[tuple[Fault, float]]

    def harmful(self) -> tuple[Fault, ...]: ...


class SimulatedTechnician:
    """Keeps a trail while working; time passes by the minutes of each action."""

    def __init__(self, advice: AdviceModel, unit: Unit, meter: Meter, who: str,
                 start: datetime, cooling: timedelta = timedelta(0)) -> None:
        """cooling: how long the board is left alone after heat; meanwhile other jobs fit in."""
        self.cooling = cooling
        self.advice = advice
        self.board = advice.model.board
        self.unit = unit
        self.meter = meter
        self.who = who
        self.now = start
        self.trail: list[Entry] = []
        day = (start - timedelta(days=3)).date().isoformat()
        self.own_cell_gone = False
        self.gear = (Gear("supply", "S1", day), Gear("cable", "C1", day))

    def note(self, *payloads: Payload, minutes: float = 0.0) -> None:
        self.now += timedelta(minutes=minutes)
        for payload in payloads:
            self.trail.append(new_entry(payload, self.who, self.now))

    def open(self, serial: str, intake: Intake) -> None:
        self.note(JobOpened(serial, self.board.model, self.board.pack_id))
        self.note(intake, minutes=3.0)

    def assessment(self) -> Assessment:
        return assess(self.advice, tuple(self.trail))

    def read(self, *points: str) -> None:
        """Read points by their default method, as one entry per method and access level reached."""
        facts = job_facts(self.trail)
        if facts.cell != "unplugged":
            self.note(Cell("unplugged"), minutes=1.0)
        order = self.board.access_order
        deepest = max((self.board.point_by_id[p].access for p in points), key=lambda a: order.get(a, 0))
        if order.get(deepest, 0) > order.get(facts.access, 0):
            self.note(Access(deepest), minutes=self.board.minutes_to(deepest, facts.access))
        by_method: dict[str, list[str]] = {}
        for point in points:
            by_method.setdefault(self.board.point_by_id[point].default_method, []).append(point)
        for group in by_method.values():
            method = self.board.point_by_id[group[0]].default_method
            taken = tuple(PointReading(p, self.unit.read(p, method, self.meter)) for p in group)
            self.note(Readings(method, taken, self.meter.name), minutes=0.3 * len(group))

    def read_supply(self, orientation: str, minute: float, takes: float) -> None:
        """Volts and amps at a minute after plugging in, with a cell in."""
        self._cell_in()
        known_good = job_facts(self.trail).cell == "known_good"
        volts, amps, pattern = self.unit.supply(orientation, minute, known_good)
        self.note(Supply("a" if orientation == "a" else "b", volts, amps, minute,
                         "blinking" if pattern == "blinking" else "steady", gear=self.gear), minutes=takes)

    def _cell_in(self) -> None:
        if job_facts(self.trail).cell == "unplugged":
            self.note(Cell("new" if self.own_cell_gone else "plugged"), minutes=1.0)

    def do(self, action: Action) -> None:
        """Carry out one action on the simulated unit and write down what comes of it."""
        if action.kind == "look":
            self.note(Look(("clean",)), minutes=action.minutes)
        elif action.kind == "clean":
            self.note(Rework("clean", action.target), minutes=action.minutes)
        elif action.kind == "make_safe":
            deeper = self.board.access_levels[1].id if len(self.board.access_levels) > 1 else ""
            self.note(*(self.opened_to(deeper) if deeper else ()), Cell("unplugged"),
                      Danger((action.target,), "cleared"), minutes=action.minutes)
            self.own_cell_gone = self.own_cell_gone or action.target == "swollen"
        elif action.kind == "unplug_cell":
            self.note(Cell("unplugged"), minutes=action.minutes)
        elif action.kind == "audit":
            self.note(Audit(AUDIT_STEPS), minutes=action.minutes)
        elif action.kind == "cool":
            self.now += timedelta(minutes=action.minutes)
            facts = job_facts(self.trail)
            self.read(*dict.fromkeys(p for _, p, _ in facts.readings or {} if any(
                facts.reading(p, m.value) for m in self.board.point_by_id[p].methods)))
        elif action.kind == "supply":
            self.read_supply(action.target, 1.0, action.minutes)
        elif action.kind == "wait_draw":
            self.note(Wait("Is the draw growing?", (self.now + timedelta(minutes=action.minutes)).strftime(
                "%Y-%m-%dT%H:%M")))
            before = [e.payload.minute for e in self.trail if isinstance(e.payload, Supply)]
            self.now += timedelta(minutes=action.minutes)
            self.read_supply(action.target, (before[-1] if before else 0.0) + action.minutes, 1.0)
        elif action.kind == "wait_charge":
            self.now += timedelta(minutes=action.minutes)
            before = [e.payload.minute for e in self.trail if isinstance(e.payload, Supply)]
            last = next(e.payload for e in reversed(self.trail) if isinstance(e.payload, Supply | DrawTrace))
            self.read_supply(last.orientation, (before[-1] if before else 0.0) + action.minutes, 1.0)
        elif action.kind == "swap_cell":
            deeper = self.board.access_levels[1].id if len(self.board.access_levels) > 1 else ""
            self.note(*((Access(deeper),) if deeper else ()), Cell("known_good"), minutes=action.minutes)
            self.read_supply(action.target, 1.0, 1.0)
        elif action.kind in OBSERVING:
            self.read(*action.points)
        elif action.kind == "repair":
            option = next(o for o in self.advice.repairs.options
                          if o.part == action.target and o.action == action.detail)
            self.unit.mend(action.target, action.detail)
            verb = {"reflow": "reflow", "wire": "wire"}.get(action.detail, "replace")
            self.note(*self.opened_to(option.access), Rework(verb, action.target, "stock",  # type: ignore[arg-type]
                                                             AUDIT_STEPS),
                      minutes=action.minutes)
            self.now += self.cooling
        elif action.kind == "isolate":
            access = max((job_facts(self.trail).access, part_access(self.board, action.target)),
                         key=lambda a: self.board.access_order.get(a, 0))
            self._isolate(Isolation((action.target,)), minutes=action.minutes - 0.3, access=access)
            self.read(*action.points)
        elif action.kind == "put_back":
            self._isolate(Isolation(action.points, "back"), minutes=action.minutes)
        elif action.kind == "inject":
            self._reach(action.points[0])
            assert action.limits is not None
            volts, amps = action.limits.volts, action.limits.amps
            self.note(Injection(action.target, volts, amps, self.unit.inject(
                action.target, volts, amps, action.detail), "spray" if action.detail == "spray" else "camera"),
                      minutes=INJECT_MINUTES[action.detail])
        elif action.kind == "rail":
            self._reach(action.points[0])
            self.note(RailVolts(action.target, self.unit.rail_volts(action.target, action.detail),
                                "a" if action.detail == "a" else "b"), minutes=2.0)
        elif action.kind == "cause":
            self.note(Cause("supply", "Stop using the supply that came with it."), minutes=action.minutes)
        elif action.kind == "look_board":
            side = Side(action.target)
            self._open_to(look_access(self.board, side))
            self.note(BoardLook(action.target, self.unit.look_over(side)),  # type: ignore[arg-type]
                      minutes=self.advice.rates.board_look_minutes)
        elif action.kind in ("prove", "try"):
            self.prove([action.target] if action.kind == "try" else [c.id for c in self.board.checks])
        elif action.kind == "hand_over":
            self.note(Outcome("repaired"), minutes=action.minutes)
        elif action.kind == "give_up":
            self.note(Outcome("donor", "Not worth another hour."), minutes=action.minutes)

    def opened_to(self, access: str) -> tuple[Access, ...]:
        """The entry of opening the unit that far, if it isn't open as far already."""
        order = self.board.access_order
        deeper = order.get(access, 0) > order.get(job_facts(self.trail).access, 0)
        return (Access(access),) if deeper else ()

    def _isolate(self, change: Isolation, minutes: float, access: str = "") -> None:
        self.unit.isolate(change)
        if job_facts(self.trail).cell != "unplugged":
            self.note(Cell("unplugged"), minutes=1.0)
        if access and access != job_facts(self.trail).access:
            self.note(Access(access))
        self.note(change, minutes=minutes)

    def _reach(self, point: str) -> None:
        """Cell out, and open as far as a point lies."""
        facts = job_facts(self.trail)
        if facts.cell != "unplugged":
            self.note(Cell("unplugged"), minutes=1.0)
        self._open_to(self.board.point_by_id[point].access)

    def _open_to(self, access: str) -> None:
        for opened in self.opened_to(access):
            self.note(opened, minutes=self.board.minutes_to(access, job_facts(self.trail).access))

    def prove(self, checks: list[str]) -> None:
        self._cell_in()
        for check in self.board.checks:
            if check.id in checks:
                self.note(Proof(check.id, self.unit.functions_work(check.functions)), minutes=check.minutes)

    def work(self, stop: Stop | None = None, most_steps: int = 60) -> None:
        """Follow the advice until `stop` says so about the next action, or the job is done."""
        for _ in range(most_steps):
            action = self.assessment().advice.next
            if action.kind == "done" or (stop is not None and stop(action, tuple(self.trail))):
                return
            self.do(action)


def with_fault(advice: AdviceModel, fault_id: str, seed: int) -> SimulatedBoard:
    """A unit with one hidden fault, its size the first variant's. Raises KeyError for an unknown fault."""
    for fault in advice.model.hypotheses.faults:
        if fault.id == fault_id:
            return SimulatedBoard(advice.model.board, [(fault, fault.variants[0][0])],
                                  np.random.default_rng(seed))
    raise KeyError(fault_id)
