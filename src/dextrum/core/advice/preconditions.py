"""What must hold before an action is taken, and the step that brings it about, as an action with a cost of its own.

A gate of safety is a precondition; so are a board that is whole, and a unit that has charge enough to run. What is held
back so competes all the same, at its own expected cost and that of what comes before it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from dextrum.core.advice.actions import Action
from dextrum.core.advice.doubt_actions import charging_action
from dextrum.core.advice.kinds.registry import activities_of_action, kind_of
from dextrum.core.advice.lifting_gates import lifting_action
from dextrum.core.advice.repairing import put_back
from dextrum.core.advice.weighing import Weighing
from dextrum.core.assumptions.planning import LEAST_CHARGE_MINUTES
from dextrum.core.assumptions.stated import as_stated
from dextrum.core.draw.cell import Span
from dextrum.core.job import JobFacts
from dextrum.core.safety.gates import Gate


@dataclass(frozen=True)
class Preconditions:
    """gates hold now. starts: minutes until the cell is up far enough for the unit to run, where the draw says that it
    isn't."""

    weighing: Weighing
    seen: JobFacts
    gates: tuple[Gate, ...]
    starts: Span | None

    def reach(self, action: Action, apart: bool = False) -> Action | None:
        """The action at the cost of all that comes before it; None where something holds it back that only the
        diagnosis can lift. apart: it is about the board with parts off."""
        return self._with_lifts(action, apart)[0]

    def first(self, action: Action, apart: bool = False) -> Action | None:
        """What is done now on the way to an action that `reach` has priced: itself where nothing is in its way."""
        step = self._with_lifts(action, apart)[1]
        return step if step is None or step is action else replace(step, expected=action.expected)

    def _with_lifts(self, action: Action, apart: bool) -> tuple[Action | None, Action | None]:
        lifts = list(self._lifts(action, self.gates, apart))
        if any(lift is None for lift in lifts):
            return None, None
        kind = kind_of(action)
        cost = sum(kind_of(lift).cost_before(self.weighing, lift) for lift in lifts if lift is not None)
        if kind.reads and self.seen.cell != "unplugged":  # the probes come after the cell, without a step of its own
            cost += self.weighing.minutes_cost(as_stated(self.weighing.board, "unplug_minutes"))
        priced = replace(action, expected=action.expected + cost) if cost else action
        return priced, lifts[0] if lifts else action

    def _lifts(self, action: Action, gates: Sequence[Gate], apart: bool) -> Iterator[Action | None]:
        """Steps before the action, each before those it is itself the precondition of; None for one nobody can take."""
        kind, done = kind_of(action), set[str]()
        for gate in gates:
            if gate.holds & activities_of_action(self.weighing.board, action):
                lift = lifting_action(self.weighing, gate)
                if lift is None:
                    yield None
                elif gate.lifted_by not in done and (lift.kind, lift.target) != (action.kind, action.target):
                    # By what the gate asks for: what should go back may be replaced instead, and is so once.
                    done.add(gate.lifted_by)
                    yield from self._lifts(lift, [g for g in gates if g is not gate], apart)
                    yield lift
        if self.seen.isolated and not apart and kind.needs_whole_board(self.seen) and "put_back" not in done:
            back = put_back(self.weighing)  # or what replaces it, where it is likely the fault
            yield from self._lifts(back, [g for g in gates if g.lifted_by != "put_back"], apart)
            yield back
        if kind.needs_running and self.starts is not None and self.starts.middle >= LEAST_CHARGE_MINUTES:
            yield charging_action(self.weighing, self.starts)
