"""Who works on the cases: the advice. `oracle` has one who knows the faults, `routine` those without a model."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

import numpy as np

from dextrum.app.advising.assess import Assessment, assess
from dextrum.app.bench.simulated_technician import SimulatedTechnician
from dextrum.app.evaluation.cases import Case
from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.doubt_actions import cell_access
from dextrum.core.advice.kinds.registry import activities_of_action, kind_of
from dextrum.core.board import ComponentKind
from dextrum.core.diagnosis.hypotheses import FIRST_FAULT_ROW, NO_ROW
from dextrum.core.reference.warm import facts_as_judged
from dextrum.core.safety.activities import Activity
from dextrum.core.safety.gates import gates_before
from dextrum.core.trail import Access, Cell, Intake, Isolation, Payload
from dextrum.world.meter import WorldMeter

MOST_STEPS = 200
"""A step may be one touch; a bench has no such bound, and a job that goes on for ever must end somewhere."""
START = datetime(2026, 1, 5, 8, 0, tzinfo=UTC)
SUSPECTED = 0.5
"""Chance of a part from which harm done to it counts as found: likelier than not."""
LEAST_CLAIM = 0.05
"""Chances of parts from here on are held against what was there."""


@dataclass
class Played:
    """What came of one case. claims: (chance, whether the part was faulty) as the advice gave them on the way.

    left: ids of faults that do harm and are still there; harmless: those that do none. gates_broken: how often
    something was done that a gate held back. hurt: ids of faults that heat has made of neighbours, before power was on
    again; hurt_found: those of them whose part was suspected by then, or mended. rules: of the advice, those by which a
    step came first, and how often. without_gates: of who knows the faults, the minutes but for what gates take."""

    right: bool
    minutes: float
    good_parts: int
    good_chips: int
    gates_broken: int
    steps: int
    ended: str
    claims: list[tuple[float, bool]] = field(default_factory=list)
    why_wrong: str = ""
    replaced: tuple[str, ...] = ()
    left: tuple[str, ...] = ()
    harmless: tuple[str, ...] = ()
    name: str = ""
    hurt: tuple[str, ...] = ()
    hurt_found: tuple[str, ...] = ()
    rules: dict[str, int] = field(default_factory=dict)
    without_gates: float | None = None

    def as_json(self, player: str) -> dict[str, object]:
        """As `evaluate --json` lists it under `plays`."""
        return {"name": self.name, "player": player, "ended": self.ended, "right": self.right,
                "why_wrong": self.why_wrong, "minutes": round(self.minutes, 2), "steps": self.steps,
                "replaced": list(self.replaced), "good_parts": self.good_parts, "good_chips": self.good_chips,
                "left": list(self.left), "harmless": list(self.harmless), "gates_passed": self.gates_broken,
                "minutes_without_gates": None if self.without_gates is None else round(self.without_gates, 2),
                "hurt": list(self.hurt), "hurt_found": list(self.hurt_found), "rules": dict(sorted(self.rules.items())),
                "claims": [[round(chance, 4), so] for chance, so in self.claims]}


class CaseTechnician(SimulatedTechnician):
    """A technician on one case, with the minutes that the bench was busy: waiting counts with its share."""

    def __init__(self, advice: AdviceModel, case: Case) -> None:
        super().__init__(advice, case.unit, case.meter, "evaluation", START)
        self.case = case
        self.replaced: list[str] = []
        self.lifted: list[str] = []
        self.busy = 0.0
        self.gates_broken = 0
        self.open("E", Intake("", case.present))

    @property
    def faulty(self) -> set[str]:
        """Parts that are at fault, or were."""
        return self.case.ever_faulty()

    def note(self, *payloads: Payload, minutes: float = 0.0) -> None:
        """A cell that is taken out is reached first, whoever takes it out and for what."""
        out = any(isinstance(one, Cell) and one.state == "unplugged" for one in payloads)
        if out and not any(isinstance(one, Access) for one in payloads):
            level = cell_access(self.board, self.facts)
            opened = self.opened_to(level)
            minutes += self.board.minutes_to(level, self.facts.access) if opened else 0.0
            payloads = (*opened, *payloads)
        self.watch_gates(payloads)
        super().note(*payloads, minutes=minutes)

    def do(self, action: Action) -> None:
        before = self.now
        super().do(action)
        spent = (self.now - before).total_seconds() / 60.0
        self.busy += spent * self.advice.rates.waiting_share if kind_of(action).waits else spent

    def minutes_to_read(self, points: Sequence[str]) -> float:
        """By the hands of the case's world, where it is one of its own."""
        if not isinstance(self.case.meter, WorldMeter):
            return super().minutes_to_read(points)
        contacts = sum(point in self.board.port_points for point in points)
        return self.case.meter.minutes_to_touch(contacts, len(points) - contacts, self.in_farads(points))

    def look_into_port(self, minutes: float) -> None:
        self.note(self.case.look_port(self.facts.cleaned), minutes=minutes)

    def mend(self, part: str, action: str) -> None:
        self.changed(part, action)
        super().mend(part, action)

    def take_off_or_put_back(self, change: Isolation, minutes: float, access: str = "") -> None:
        if change.state == "off":
            self.lifted += change.parts
        super().take_off_or_put_back(change, minutes, access)

    def changed(self, part: str, action: str) -> None:
        if action == "replace":
            self.replaced.append(part)

    def watch_gates(self, payloads: Sequence[Payload]) -> None:
        """Count what is done although a gate holds it back, whatever kind of thing it is and whoever does it."""
        wanted = frozenset().union(*(payload.does(self.board) for payload in payloads))
        if not wanted or not self.trail:
            return
        references = self.advice.model.references
        facts = facts_as_judged(self.board, references, self.facts)
        self.gates_broken += bool(gates_before(self.board, references, facts, wanted))

    def result(self, ended: str, steps: int) -> Played:
        harmful = self.case.unit.harmful()
        left = {fault.part for fault in harmful}
        works = not left and not self.case.unlisted
        good = [p for p in self.replaced if p not in self.faulty]
        touched = {*good, *(p for p in self.lifted if p not in self.faulty)}
        chips = [p for p in touched if self.board.component_by_designator[p].kind is ComponentKind.IC]
        mendable = {o.part for o in self.advice.repairs.options}
        hopeless = self.case.unlisted or bool(left - mendable)
        right = works if ended == "repaired" else hopeless
        if right:
            why = ""
        elif ended == "repaired":
            why = "handed over with a fault left" if left else "handed over with something unlisted broken"
        elif ended == "given up":
            why = "given up though it works" if works else "given up though it can be mended"
        else:
            why = f"not ended after {steps} steps"
        named = tuple(fault.id for fault in harmful)
        harmless = tuple(fault.id for fault, _ in self.case.unit.faults if fault.id not in named)
        return Played(right, self.busy, len(good), len(chips), self.gates_broken, steps, ended, [], why,
                      tuple(self.replaced), named, harmless, self.case.name)


def by_advice(advice: AdviceModel, case: Case) -> Played:
    """Does what the advice says, to the end."""
    technician = CaseTechnician(advice, case)
    claims: list[tuple[float, bool]] = []
    rules: Counter[str] = Counter()
    harm = HarmFound()
    ended, steps = "never", 0
    while steps < MOST_STEPS and ended == "never":
        steps += 1
        found = assess(advice, tuple(technician.trail), explain=False)
        action = found.advice.next
        rules.update([found.advice.rule] if found.advice.rule else [])
        if action.kind in ("measure", "scan", "repair"):
            claims += _claims(found, technician.faulty)
        if action.kind == "hand_over":
            ended = "repaired"  # from complaint to proof: the hand-over itself is not counted for any player
            break
        if action.kind == "give_up":
            ended = "given up"
        if action.kind == "grow_pack":
            break  # the pack names no parts: nothing is advised, and nothing comes of going on
        if Activity.POWER in activities_of_action(technician.board, action):
            harm.counted_before_power(technician, found)
        technician.do(action)
    played = technician.result(ended, steps)
    played.claims, played.hurt, played.hurt_found = claims, tuple(harm.hurt), tuple(harm.found)
    played.rules = dict(rules)
    return played


@dataclass
class HarmFound:
    """Neighbours that heat has hurt, counted once, when power is about to be on. found: suspected by then, at least as
    likely as not, or mended already."""

    hurt: list[str] = field(default_factory=list)
    found: list[str] = field(default_factory=list)

    def counted_before_power(self, technician: CaseTechnician, now: Assessment) -> None:
        unit, hypotheses = technician.case.unit, now.posterior.hypotheses
        left = {fault.id: fault.part for fault, _ in unit.faults}
        for fault in unit.hurt[len(self.hurt):]:
            chance = sum(float(c) for f, c in zip(hypotheses.faults, now.posterior.faults, strict=True)
                         if f.part == left.get(fault))
            if fault not in left or chance >= SUSPECTED:
                self.found.append(fault)
        self.hurt = list(unit.hurt)


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
