"""Who works on the cases: the advice, a fixed routine, chance, and one who knows the faults."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from datetime import UTC, datetime

import numpy as np

from dextrum.app.assess import Assessment, assess
from dextrum.app.evaluation.cases import Case
from dextrum.app.judged import judge_reading
from dextrum.app.simulated_technician import SimulatedTechnician
from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.board import UNLISTED_PART, Component, ComponentKind
from dextrum.core.board.mending import kinds_mended
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NO_ROW
from dextrum.core.job import job_facts
from dextrum.core.looks import WASHES_OFF, Look
from dextrum.core.reference.judge import Verdict
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.safety.activities import activities_of_action
from dextrum.core.safety.gates import held_gates
from dextrum.core.trail import Intake, Readings, Rework

MOST_STEPS = 70
START = datetime(2026, 1, 5, 8, 0, tzinfo=UTC)
LEAST_CLAIM = 0.05
"""Chances of parts from here on are held against what was there."""


@dataclass
class Played:
    """What came of one case. claims: (chance, whether the part was faulty) as the advice gave them on the way."""

    right: bool
    minutes: float
    good_parts: int
    good_chips: int
    gates_broken: int
    steps: int
    ended: str
    claims: list[tuple[float, bool]] = field(default_factory=list)


def washed(look: Look) -> Look:
    """What is seen in a port once it has been cleaned."""
    left = tuple(f for f in look.findings if f not in WASHES_OFF)
    return replace(look, findings=left or ("clean",))


class CaseTechnician(SimulatedTechnician):
    """A technician on one case, with the minutes that the bench was busy: waiting counts with its share."""

    def __init__(self, advice: AdviceModel, case: Case) -> None:
        super().__init__(advice, case.unit, case.meter, "evaluation", START)
        self.case = case
        self.faulty = {fault.part for fault, _ in case.unit.faults} | ({UNLISTED_PART} if case.unlisted else set())
        self.replaced: list[str] = []
        self.lifted: list[str] = []
        self.busy = 0.0
        self.gates_broken = 0
        self.open("E", Intake("", case.present))

    def do(self, action: Action) -> None:
        before = self.now
        self.watch_gates(action)
        if action.kind == "look":
            cleaned = job_facts(self.trail).cleaned
            self.note(washed(self.case.look) if cleaned else self.case.look, minutes=action.minutes)
        else:
            if action.kind == "repair":
                self.changed(action.target, action.detail)
            elif action.kind == "isolate":
                self.lifted.append(action.target)
            super().do(action)
        spent = (self.now - before).total_seconds() / 60.0
        waiting = action.kind in ("wait_draw", "wait_charge", "wait", "cool")
        self.busy += spent * self.advice.rates.waiting_share if waiting else spent

    def changed(self, part: str, action: str) -> None:
        if action == "replace":
            self.replaced.append(part)

    def watch_gates(self, action: Action) -> None:
        """Count what was done although a gate held it back."""
        gates = held_gates(self.board, self.advice.model.references, facts_as_judged(
            self.board, self.advice.model.references, job_facts(self.trail)))
        wanted = activities_of_action(self.board, action.kind, action.target)
        self.gates_broken += any(gate.holds & wanted for gate in gates)

    def result(self, ended: str, steps: int) -> Played:
        left = {fault.part for fault in self.case.unit.harmful()}
        works = not left and not self.case.unlisted
        good = [p for p in self.replaced if p not in self.faulty]
        touched = {*good, *(p for p in self.lifted if p not in self.faulty)}
        chips = [p for p in touched if self.board.component_by_designator[p].kind is ComponentKind.IC]
        mendable = {o.part for o in self.advice.repairs.options}
        hopeless = self.case.unlisted or bool(left - mendable)
        right = works if ended == "repaired" else hopeless
        return Played(right, self.busy, len(good), len(chips), self.gates_broken, steps, ended)


def by_advice(advice: AdviceModel, case: Case) -> Played:
    """Does what the advice says, to the end."""
    technician = CaseTechnician(advice, case)
    claims: list[tuple[float, bool]] = []
    ended, steps = "never", 0
    while steps < MOST_STEPS and ended == "never":
        steps += 1
        found = assess(advice, tuple(technician.trail), explain=False)
        action = found.advice.next
        if action.kind in ("measure", "scan", "repair"):
            claims += _claims(found, technician.faulty)
        if action.kind == "hand_over":
            ended = "repaired"  # from complaint to proof: the hand-over itself is not counted for any player
            break
        if action.kind == "give_up":
            ended = "given up"
        technician.do(action)
    played = technician.result(ended, steps)
    played.claims = claims
    return played


def _claims(found: Assessment, faulty: set[str]) -> list[tuple[float, bool]]:
    hypotheses, sets = found.posterior.hypotheses, found.posterior.sets
    names = list(dict.fromkeys(fault.part for fault in hypotheses.faults))
    place = {name: k for k, name in enumerate(names)}
    of_fault = np.array([place[fault.part] for fault in hypotheses.faults] + [-1])
    of_row = of_fault[hypotheses.fault_of_row]
    of_row[:FIRST_FAULT_ROW] = -1
    parts = -np.sort(-np.where(sets.rows == NO_ROW, -1, of_row[sets.rows]), axis=1)
    parts[:, 1:][parts[:, 1:] == parts[:, :-1]] = -1  # two faults of one part are one claim
    chance = np.zeros(len(names))
    for column in parts.T:
        np.add.at(chance, column[column >= 0], sets.weight[column >= 0])
    return [(float(chance[k]), names[k] in faulty) for k in np.flatnonzero(chance >= LEAST_CLAIM)]


class Routine(CaseTechnician):
    """The fixed way of many benches: look, supply, port, fuse, capacitors, filters; pull the chip beside the first
    short; the port on any open contact; all fine: PD controller, A/V switch, charger IC."""

    def step(self, minutes: float) -> None:
        self.busy += minutes

    def touch(self, *points: str) -> dict[str, Verdict]:
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
        facts = job_facts(self.trail)
        minutes = self.board.minutes_to(options[0].access, facts.access) + options[0].minutes
        self.note(*self.opened_to(options[0].access), Rework("replace", part), minutes=minutes)
        works = self.try_all()
        self.step((self.now - before).total_seconds() / 60.0)
        return works

    def try_all(self) -> bool:
        self.prove([c.id for c in self.board.checks])
        proofs = job_facts(self.trail).proofs or {}
        return all(proof.passed for proof in proofs.values())

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

    def work_through(self) -> str:
        board = self.board
        self.note(self.case.look, minutes=1.0)
        self.step(1.0)
        if self.case.look.findings == ("clean",) or "loose" in self.case.look.findings:
            for orientation in "ab":
                before = self.now
                self.read_supply(orientation, 1.0, self.advice.rates.supply_minutes)
                self.step((self.now - before).total_seconds() / 60.0)
        port = board.ports[0].component if board.ports else ""
        done: set[str] = set()
        scan = self.touch(*board.port_point_ids())
        if any(v is Verdict.OPEN for v in scan.values()) or self.case.look.findings != ("clean",):
            done.add(port)
            if self.replace(port):
                return "repaired"
        ends = [p for p in board.points if p.to is not None and p not in board.node_pairs]
        fuses = [p.id for p in ends if board.component_by_designator[p.part].kind is ComponentKind.FUSE]
        for point, verdict in (self.touch(*fuses) if fuses else {}).items():
            part = board.point_by_id[point].part
            if verdict.is_off and part not in done:
                done.add(part)
                if self.replace(part):
                    return "repaired"
        main = self.chips("PD controller", "charger IC", "A/V switch")
        near = [p for chip in main for p in board.points if p.to is None and p.part.startswith("C")
                and p.side is chip.side and abs(p.x_mm - chip.x_mm) < 9 and abs(p.y_mm - chip.y_mm) < 9]
        capacitors = list(dict.fromkeys(p.id for p in near if board.component_by_designator.get(p.part) is not None))
        for point, verdict in (self.touch(*capacitors) if capacitors else {}).items():
            chip = self.beside(point)
            if verdict is Verdict.GROUNDED and chip and chip not in done:
                done.add(chip)
                if self.replace(chip):
                    return "repaired"
        filters = [p.id for p in ends if board.component_by_designator[p.part].kind is ComponentKind.FILTER]
        for point, verdict in (self.touch(*filters) if filters else {}).items():
            part = board.point_by_id[point].part
            if verdict.is_off and part not in done:
                done.add(part)
                if self.replace(part):
                    return "repaired"
        if not done and self._tried():
            return "repaired"
        for chip_ in self.chips("PD controller", "A/V switch", "charger IC"):
            if chip_.designator not in done and self.replace(chip_.designator):
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
    for step in range(MOST_STEPS):
        if generator.random() < 0.5:
            technician.touch(str(generator.choice(points)))
            continue
        option = advice.repairs.options[int(generator.integers(len(advice.repairs.options)))]
        if option.part in board.component_by_designator and technician.replace(option.part):
            return technician.result("repaired", step)
    return technician.result("given up", MOST_STEPS)


def by_knowing(advice: AdviceModel, case: Case) -> Played:
    """The faults are known: only access, repairs and proof are paid."""
    board, rates = advice.model.board, advice.rates
    minutes, access = rates.look_minutes, ""
    for fault in case.unit.harmful():
        options = [o for o in advice.repairs.options if o.part == fault.part
                   and fault.kind in kinds_mended(board, o.part, o.action)]
        if not options:
            return Played(True, minutes, 0, 0, 0, 1, "given up")
        best = min(options, key=lambda o: board.minutes_to(o.access, access) + o.minutes)
        minutes += board.minutes_to(best.access, access) + best.minutes
        order = board.access_order
        access = best.access if order.get(best.access, 0) > order.get(access, 0) else access
    if case.unlisted:
        return Played(True, minutes, 0, 0, 0, 1, "given up")
    return Played(True, minutes + sum(c.minutes for c in board.checks), 0, 0, 0, 1, "repaired")


