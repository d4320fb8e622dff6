"""Who knows the faults: what a job costs at least, within the rules of safety that hold for everybody.

Nothing is searched for, and every repair takes at once. What a rule holds back waits for what lifts it here as well:
the port is looked into and cleaned, the cell is out before heat, what was heated is audited and its joints are read
before power, what blew the fuse is named, the unit is put together to run.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from dextrum.app.advising.assess import assess
from dextrum.app.evaluation.cases import Case
from dextrum.app.evaluation.players import CaseTechnician, Played
from dextrum.core.advice.actions import Action
from dextrum.core.advice.advice_model import AdviceModel
from dextrum.core.advice.kinds.registry import activities_of_action
from dextrum.core.advice.lifting_gates import lifting_action, read_again
from dextrum.core.advice.repairing import repair_action
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import FaultKind
from dextrum.core.faults.mending import kinds_mended
from dextrum.core.reference.warm import COOLING, facts_as_judged
from dextrum.core.safety.activities import Activity
from dextrum.core.safety.gates import Gate, gates_before
from dextrum.core.safety.recheck import points_to_recheck
from dextrum.core.trail import Proof
from dextrum.world.unit import WorldUnit

MOST_LIFTED = 2
"""How often one gate is lifted. What still holds after that is a mistake of the eye or the probe, and who knows better
goes on."""
FOR_THE_PROOF = frozenset({Activity.POWER, Activity.CELL, Activity.RUNNING})


def repairs_known(advice: AdviceModel, case: Case) -> tuple[tuple[int, ...], float] | None:
    """Places of the repairs that put all right that does harm, one a faulty part, each the cheapest from how far the
    unit is open by then, and their minutes with access; None where something can't be mended here."""
    board, options = advice.model.board, advice.repairs.options
    if case.unlisted:
        return None
    by_part: dict[str, set[FaultKind]] = {}
    for fault in case.unit.harmful():
        by_part.setdefault(fault.part, set()).add(fault.kind)
    found, minutes, access, order = [], 0.0, "", board.access_order
    for part, kinds in by_part.items():
        mending = [k for k, o in enumerate(options)
                   if o.part == part and kinds <= kinds_mended(board, o.part, o.action)]
        if not mending:
            return None
        best = min(mending, key=lambda k: board.minutes_to(options[k].access, access) + options[k].minutes)
        minutes += board.minutes_to(options[best].access, access) + options[best].minutes
        if order.get(options[best].access, 0) > order.get(access, 0):
            access = options[best].access
        found.append(best)
    return tuple(found), minutes


class Knowing(CaseTechnician):
    """One who knows what is wrong, and takes the minutes of each step from what was expected when the unit came in."""

    def __init__(self, advice: AdviceModel, case: Case) -> None:
        super().__init__(advice, case)
        self._expected = assess(advice, tuple(self.trail), explain=False).posterior
        self._lifted: Counter[tuple[str, str]] = Counter()

    @property
    def weighing(self) -> Weighing:
        """For the minutes of steps alone: what was known when the unit came in, and where it is now."""
        return Weighing(self.advice, self._expected, self.facts)

    def _lifts(self, gate: Gate) -> Action | None:
        """What lifts a gate; None where knowing better does."""
        if self._lifted[gate.id, gate.target] >= MOST_LIFTED or gate.lifted_by in ("repair", "put_back"):
            return None
        if gate.id == "damaged_port":  # whether or not what is bent there does harm
            ports = {port.component for port in self.board.ports}
            new = [k for k, o in enumerate(self.advice.repairs.options) if o.part in ports and o.action == "replace"]
            return repair_action(self.weighing, new[0], 1.0, 0.0) if new else None
        if gate.id == "recheck":
            due = points_to_recheck(self.board, self.advice.model.references, self.facts)
            return read_again(self.weighing, due) if due else None
        return lifting_action(self.weighing, gate)

    def make_way(self, wanted: frozenset[Activity]) -> None:
        """Lift what holds this back, most serious first."""
        references = self.advice.model.references
        while True:
            facts = facts_as_judged(self.board, references, self.facts)
            steps = ((gate, self._lifts(gate)) for gate in gates_before(self.board, references, facts, wanted))
            gate, step = next(((gate, step) for gate, step in steps if step is not None), (None, None))
            if gate is None or step is None:
                return
            self._lifted[gate.id, gate.target] += 1
            self.make_way(activities_of_action(self.board, step))
            self.do(step)

    def repair(self, place: int) -> None:
        self.make_way(activities_of_action(self.board, repair_action(self.weighing, place, 1.0, 0.0)))
        self.do(repair_action(self.weighing, place, 1.0, 0.0))  # from how far the unit is open by now

    def cool(self) -> None:
        """A warm board reads low: it is left alone before anything is read, and other jobs fit in."""
        minutes = COOLING.total_seconds() / 60.0
        self.let_pass(minutes)
        self.busy += minutes * self.advice.rates.waiting_share

    def prove_all(self) -> None:
        """Every check once, each passed."""
        before = self.now
        self._cell_in()
        for check in self.board.checks:
            self.note(Proof(check.id, True), minutes=check.minutes)
        self.busy += (self.now - before).total_seconds() / 60.0


def by_knowing(advice: AdviceModel, case: Case) -> Played:
    """What can't be mended is given up at once."""
    look, known = advice.rates.look_minutes, repairs_known(advice, case)
    if known is None:
        return Played(True, look, 0, 0, 0, 1, "given up", name=case.name, without_gates=look)
    if isinstance(case.unit, WorldUnit):  # in the modelled world repairs take anyway
        case.unit.mend_at_once()
    technician, (repairs, minutes) = Knowing(advice, case), known
    for place in repairs:
        technician.repair(place)
    if repairs:
        technician.cool()
    technician.make_way(FOR_THE_PROOF)
    technician.prove_all()
    proof = sum(check.minutes for check in advice.model.board.checks)
    return replace(technician.result("repaired", len(technician.trail)), without_gates=look + minutes + proof)
