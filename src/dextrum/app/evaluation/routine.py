"""Players without a model: a careful bench's fixed routine, and chance."""

from __future__ import annotations

import numpy as np

from dextrum.app.evaluation.cases import Case
from dextrum.app.evaluation.players import MOST_STEPS, CaseTechnician, Played
from dextrum.app.reading.judged import judge_reading
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.assumptions.planning import CLEAN_MINUTES, INJECT_MINUTES
from dextrum.core.board import Component, ComponentKind
from dextrum.core.looks import WASHES_OFF
from dextrum.core.reference.judge import Verdict
from dextrum.core.trail import AUDIT_STEPS, Cell, Injection, Proof, Readings, Rework

NEAR_CHIP_MM = 9.0
INJECTED_VOLTS, INJECTED_AMPS = 1.0, 2.0
"""Where a rail with a short is put on a bench supply and looked at with a camera."""


class Routine(CaseTechnician):
    """The fixed way of a careful bench. Look, clean if dirty; supply both ways up; the whole port, what is off touched
    twice; an open line is followed through its filter before the port is changed; fuse; capacitors by the main chips,
    and where one is on ground the camera says which part is warm, else the nearest chip is changed; filters; then, all
    reading well, PD controller, A/V switch, charger IC one after the other. After every change each check is tried, up
    to the first that fails."""

    def step(self, minutes: float) -> None:
        self.busy += minutes

    def touch(self, *points: str) -> dict[str, Verdict]:
        found = self._touched(*points)
        off = [point for point, verdict in found.items() if verdict.is_off]
        return {**found, **self._touched(*off)} if off else found

    def _touched(self, *points: str) -> dict[str, Verdict]:
        before = self.now
        self.read(*points)
        self.step((self.now - before).total_seconds() / 60.0)
        taken = {r.point: (r.value, e.payload.method) for e in self.trail if isinstance(e.payload, Readings)
                 for r in e.payload.readings}
        return {p: judge_reading(self.board, self.advice.model.references, p, taken[p][1], taken[p][0]).verdict
                for p in points}

    def replace(self, part: str) -> bool:
        """Change a part and try everything again; whether all works now."""
        before = self.now
        options = [o for o in self.advice.repairs.options if o.part == part and o.action == "replace"]
        if not options:
            return False
        self.changed(part, "replace")
        self.unit.mend(part, "replace")
        facts = self.facts
        minutes = self.board.minutes_to(options[0].access, facts.access) + options[0].minutes
        if facts.cell != "unplugged":
            self.note(*self.opened_to(options[0].access), Cell("unplugged"), minutes=1.0)
        self.note(*self.opened_to(options[0].access), Rework("replace", part, "stock", AUDIT_STEPS), minutes=minutes)
        works = self.try_all()
        self.step((self.now - before).total_seconds() / 60.0)
        return works

    def try_all(self) -> bool:
        """Whether every check passes; none is tried after one that fails."""
        self._cell_in()
        for check in self.board.checks:
            passed = self.unit.functions_work(check.functions)
            self.note(Proof(check.id, passed), minutes=check.minutes)
            if not passed:
                return False
        return True

    def chips(self, *purposes: str) -> list[Component]:
        return [c for p in purposes for c in self.board.components if c.purpose == p]

    def beside(self, point: str) -> str:
        """The chip nearest to a point on its side, as the eye sees it."""
        place = self.board.point_by_id[point]
        chips = [c for c in self.board.components if c.kind is ComponentKind.IC and c.side is place.side
                 and c.price > 0]
        if not chips:
            return ""
        return min(chips, key=lambda c: (c.x_mm - place.x_mm) ** 2 + (c.y_mm - place.y_mm) ** 2).designator

    def seen_warm(self, point: str) -> str:
        """The part that the camera shows with the point's rail on the bench supply; else the nearest chip."""
        before = self.now
        net = self.board.net_of(self.board.point_by_id[point].at)
        self.reach(point)
        warm = self.unit.inject(net, INJECTED_VOLTS, INJECTED_AMPS, "camera")
        self.note(Injection(net, INJECTED_VOLTS, INJECTED_AMPS, warm, "camera"), minutes=INJECT_MINUTES["camera"])
        self.step((self.now - before).total_seconds() / 60.0)
        return warm or self.beside(point)

    def ends(self, kind: ComponentKind, nets: frozenset[str] | None = None) -> list[str]:
        """Points from end to end of parts of a kind, of those on some nets where they are given."""
        return [p.id for p in self.board.points if p.to is not None and p not in self.board.node_pairs
                and (part := self.board.component_by_designator.get(p.part)) is not None and part.kind is kind
                and (nets is None or {self.board.net_of(p.at), self.board.net_of(p.to)} & nets)]

    def _look(self) -> bool:
        """Look into the port, and clean it; whether something may be plugged in."""
        seen = self.case.look_port(False)
        self.note(seen, minutes=1.0)
        self.step(1.0)
        if set(seen.findings) & WASHES_OFF:
            self.note(Rework("clean", self.board.ports[0].component), minutes=CLEAN_MINUTES)
            seen = self.case.look_port(True)
            self.note(seen, minutes=1.0)
            self.step(CLEAN_MINUTES + 1.0)
        return set(seen.findings) <= {"clean", "loose"}

    def _follow_lines(self, opened: list[str], done: set[str]) -> bool:
        """The filters of open lines, before the port; whether all works now."""
        nets = frozenset(self.board.net_of(self.board.point_by_id[p].at) for p in opened)
        return self._change_off(self.ends(ComponentKind.FILTER, nets), done)

    def _change_off(self, points: list[str], done: set[str]) -> bool:
        """Change what reads off from end to end; whether all works now."""
        for point, verdict in (self.touch(*points) if points else {}).items():
            part = self.board.point_by_id[point].part
            if verdict.is_off and part not in done:
                done.add(part)
                if self.replace(part):
                    return True
        return False

    def work_through(self) -> str:
        board = self.board
        whole = self._look() if board.ports else True
        if whole and board.draw_states:
            for orientation in "ab":
                before = self.now
                self.read_supply(orientation, 1.0, self.advice.rates.supply_minutes)
                self.step((self.now - before).total_seconds() / 60.0)
        port = board.ports[0].component if board.ports else ""
        done: set[str] = set()
        scan = self.touch(*board.port_point_ids()) if board.port_point_ids() else {}
        opened = [p for p, v in scan.items() if v is Verdict.OPEN]
        if opened and whole and self._follow_lines(opened, done):
            return "repaired"
        if port and (not whole or (opened and not done)):
            done.add(port)
            if self.replace(port):
                return "repaired"
        if self._change_off(self.ends(ComponentKind.FUSE), done):
            return "repaired"
        main = self.chips("PD controller", "charger IC", "A/V switch")
        near = [p for chip in main for p in board.points if p.to is None and p.part.startswith("C")
                and p.side is chip.side and abs(p.x_mm - chip.x_mm) < NEAR_CHIP_MM
                and abs(p.y_mm - chip.y_mm) < NEAR_CHIP_MM]
        capacitors = list(dict.fromkeys(p.id for p in near if board.component_by_designator.get(p.part) is not None))
        for point, verdict in (self.touch(*capacitors) if capacitors else {}).items():
            if verdict is Verdict.GROUNDED:
                warm = self.seen_warm(point)
                if warm and warm not in done:
                    done.add(warm)
                    if self.replace(warm):
                        return "repaired"
        if self._change_off(self.ends(ComponentKind.FILTER), done):
            return "repaired"
        if not done and self._tried():
            return "repaired"
        for chip in self.chips("PD controller", "A/V switch", "charger IC"):
            if chip.designator not in done and self.replace(chip.designator):
                return "repaired"
        return "given up"

    def _tried(self) -> bool:
        before = self.now
        works = self.try_all()
        self.step((self.now - before).total_seconds() / 60.0)
        return works


def by_routine(advice: AdviceModel, case: Case) -> Played:
    """The fixed routine, to its end."""
    technician = Routine(advice, case)
    ended = technician.work_through()
    return technician.result(ended, len(technician.trail))


def by_chance(advice: AdviceModel, case: Case, seed: int) -> Played:
    """Any valid action at random, until everything works or the steps run out."""
    generator = np.random.default_rng(seed)
    technician = Routine(advice, case)
    board = advice.model.board
    technician.note(case.look, minutes=1.0)
    technician.step(1.0)
    points = [p.id for p in board.points]
    if not points or not advice.repairs.options:
        return technician.result("given up", 0)
    for step in range(MOST_STEPS):
        if generator.random() < 0.5:
            technician.touch(str(generator.choice(points)))
            continue
        option = advice.repairs.options[int(generator.integers(len(advice.repairs.options)))]
        if option.part in board.component_by_designator and technician.replace(option.part):
            return technician.result("repaired", step)
    return technician.result("given up", MOST_STEPS)
