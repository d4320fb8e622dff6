"""Does what the advice says on a simulated board, for demo data, training and tests."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import datetime, timedelta
from typing import Any, Protocol

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.kinds.registry import kind_of
from dextrum.core.board import Fault, Method, Side
from dextrum.core.job import JobFacts, job_facts
from dextrum.core.trail import (
    Access,
    Cell,
    Entry,
    Gear,
    Intake,
    Isolation,
    JobOpened,
    Look,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    Readings,
    Supply,
)
from dextrum.instruments.simulated_board import SimulatedBoard
from dextrum.instruments.simulated_draw import SimulatedDraw
from dextrum.store.entries import new_entry

Stop = Callable[[Action, tuple[Entry, ...]], bool]


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
    def inject(self, net: str, volts: float, amps: float, seen_by: str = ...,
               held_watts: float | None = ...) -> str: ...
    def look_over(self, side: Side) -> tuple[PartSeen, ...]: ...
    def look_round(self, side: Side, parts: frozenset[str], under: str = ...) -> tuple[PartSeen, ...]: ...
    def isolate(self, change: Isolation) -> None: ...
    def mend(self, part: str, action: str) -> object: ...


class HarmedUnit(Unit, Protocol):
    """One of which it is known what is wrong. harmful: faults that break something it must do. hurt: ids of faults that
    heat has made of neighbours of what was repaired, in order."""

    faults: list[tuple[Fault, float]]
    hurt: list[str]

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
        self._folded = 0, JobFacts()
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
        facts = self.facts
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
            self.note(Readings(method, taken, self.meter.name), minutes=self.minutes_to_read(group))

    def minutes_to_read(self, points: Sequence[str]) -> float:
        """Of touching these points once each; by the shop's rates, as the advice reckons."""
        contacts = sum(point in self.board.port_points for point in points)
        rates = self.advice.rates
        return rates.walk_minutes(contacts, len(points) - contacts) + rates.farads_minutes * self.in_farads(points)

    def in_farads(self, points: Sequence[str]) -> int:
        """How many of these are read as capacitance."""
        return sum(self.board.point_by_id[point].default_method is Method.CAPACITANCE for point in points)

    def read_supply(self, orientation: str, minute: float, takes: float) -> None:
        """Volts and amps at a minute after plugging in, with a cell in."""
        self._cell_in()
        known_good = self.facts.cell == "known_good"
        volts, amps, pattern = self.unit.supply(orientation, minute, known_good)
        self.note(Supply("a" if orientation == "a" else "b", volts, amps, minute,
                         "blinking" if pattern == "blinking" else "steady", gear=self.gear), minutes=takes)

    def _cell_in(self) -> None:
        if self.facts.cell == "unplugged":
            self.note(Cell("new" if self.own_cell_gone else "plugged"), minutes=1.0)

    def do(self, action: Action) -> None:
        """Carry out one action on the simulated unit and write down what comes of it."""
        kind_of(action).perform(self, action)

    @property
    def facts(self) -> JobFacts:
        """Of the trail as far as it goes; folded once for each length."""
        if len(self.trail) != self._folded[0]:
            self._folded = len(self.trail), job_facts(self.trail)
        return self._folded[1]

    def let_pass(self, minutes: float) -> None:
        self.now += timedelta(minutes=minutes)

    def cool_down(self) -> None:
        """The board is left alone after heat; meanwhile other jobs fit in."""
        self.now += self.cooling

    def minute_read_last(self) -> float:
        """Minutes after plugging in at which the supply was read last; 0 where it wasn't."""
        return next((e.payload.minute for e in reversed(self.trail) if isinstance(e.payload, Supply)), 0.0)

    def look_into_port(self, minutes: float) -> None:
        self.note(Look(("clean",)), minutes=minutes)

    def look_over(self, side: Side) -> tuple[PartSeen, ...]:
        return self.unit.look_over(side)

    def look_round(self, side: Side, parts: frozenset[str], under: str = "") -> tuple[PartSeen, ...]:
        return self.unit.look_round(side, parts, under)

    def inject(self, net: str, volts: float, amps: float, seen_by: str, held_watts: float | None = None) -> str:
        """The part that warms; empty when nothing does."""
        return self.unit.inject(net, volts, amps, seen_by, held_watts)

    def rail_volts(self, rail: str, orientation: str) -> float:
        return self.unit.rail_volts(rail, orientation)

    def mend(self, part: str, action: str) -> None:
        self.unit.mend(part, action)

    def opened_to(self, access: str) -> tuple[Access, ...]:
        """The entry of opening the unit that far, if it isn't open as far already."""
        order = self.board.access_order
        deeper = order.get(access, 0) > order.get(self.facts.access, 0)
        return (Access(access),) if deeper else ()

    def take_off_or_put_back(self, change: Isolation, minutes: float, access: str = "") -> None:
        self.unit.isolate(change)
        if self.facts.cell != "unplugged":
            self.note(Cell("unplugged"), minutes=1.0)
        if access and access != self.facts.access:
            self.note(Access(access))
        self.note(change, minutes=minutes)

    def reach(self, point: str) -> None:
        """Cell out, and open as far as a point lies."""
        facts = self.facts
        if facts.cell != "unplugged":
            self.note(Cell("unplugged"), minutes=1.0)
        self.open_to(self.board.point_by_id[point].access)

    def open_to(self, access: str) -> None:
        for opened in self.opened_to(access):
            self.note(opened, minutes=self.board.minutes_to(access, self.facts.access))

    def prove(self, checks: list[str]) -> None:
        """These, up to the first that fails: after the repair that it calls for, all are tried again."""
        self._cell_in()
        for check in self.board.checks:
            if check.id in checks:
                works = self.unit.functions_work(check.functions)
                self.note(Proof(check.id, works), minutes=check.minutes)
                if not works:
                    return

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
