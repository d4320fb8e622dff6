"""What a kind of action is: what it does to the unit, when it is proposed, where it is done, how hands carry it out.

A new kind is one file beside this one and its line in `registry`.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterable
from typing import ClassVar

from dextrum.core.advice.actions import Action
from dextrum.core.advice.kinds.hands import Hands
from dextrum.core.advice.places import Place
from dextrum.core.advice.plan import Plan
from dextrum.core.advice.weighing import Weighing
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.core.safety.activities import NONE, Activity


class KindOfAction(ABC):
    """One kind of action.

    does: to the unit, as far as safety goes; whoever has to know asks `activities`. waits: other jobs fit in meanwhile.
    tests: it tells something and can be undone. reads: its points are read with the probes. weighed: it competes by its
    cost, and so has others to be compared with. with_parts_off: it goes on while something is off the board.
    needs_running: the unit must have charge enough to start. sided: it is about one way up of the plug. command: of the
    window, which asks for what came of it; at_point, at_side: shown at its first point, or at its side of the board,
    or its part's.
    """

    word: ClassVar[str]
    place: ClassVar[Place]
    does: ClassVar[frozenset[Activity]] = NONE
    waits: ClassVar[bool] = False
    tests: ClassVar[bool] = False
    reads: ClassVar[bool] = False
    weighed: ClassVar[bool] = False
    with_parts_off: ClassVar[bool] = False
    needs_running: ClassVar[bool] = False
    sided: ClassVar[bool] = False
    command: ClassVar[str] = ""
    at_point: ClassVar[bool] = False
    at_side: ClassVar[bool] = False

    def activities(self, board: Board, target: str) -> frozenset[Activity]:
        """What doing it to this target does to the unit."""
        return self.does

    def needs_whole_board(self, seen: JobFacts) -> bool:
        """Whether what is off goes back on before it."""
        return not self.with_parts_off

    def cost_before(self, weighing: Weighing, action: Action) -> float:
        """What it costs as the precondition of another action."""
        return action.cost

    def proposed(self, plan: Plan) -> Iterable[Action]:
        """Those that compete by their cost now. Most kinds that lift a gate or end a job come by a rule instead."""
        return ()

    @abstractmethod
    def perform(self, hands: Hands, action: Action) -> None:
        """Carry it out, and write down what comes of it."""
