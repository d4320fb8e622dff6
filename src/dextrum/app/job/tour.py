"""The guided first job: its steps, and by what on the trail each is really done."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.tongue import tr


@dataclass(frozen=True)
class TourStep:
    """words: what to do and where; done: by the facts of the job and its board."""

    words: str
    done: Callable[[JobFacts, Board], bool]


def _port_is_read(facts: JobFacts, board: Board) -> bool:
    read = {point for _epoch, point, _method in facts.readings or {}}
    return set(board.port_point_ids()) <= read


def _both_sides(facts: JobFacts, _board: Board) -> bool:
    return {side for _epoch, side in facts.supplies or {}} >= {"a", "b"}


STEPS: tuple[TourStep, ...] = (
    TourStep(tr("Intake: the other window is the simulated bench, with a unit that just came in. Press 'Ask the "
                "owner' there, tick here what is said, and press 'Record the intake'."),
             lambda facts, _: facts.intake is not None),
    TourStep(tr("Supply: press 'Look into the port' on the simulated bench, tick here what it says, record the look."),
             lambda facts, _: facts.look is not None),
    TourStep("Supply: press 'Plug in' on the simulated bench, A side up, and 'Record live' here; after a while press "
             "it again. Then the same with the B side up. Or type what the meter shows, such as 5.1 0.36.",
             _both_sides),
    TourStep(tr("Take the cell out on the simulated bench ('Cell', then 'Do it'). Then press 'cell in' at the top "
                "here and say that it is unplugged: no probe touches a board with its cell in."),
             lambda facts, _: facts.cell == "unplugged"),
    TourStep(tr("Port: press 'Port tester' to read all contacts at once, or touch one after another on the "
                "simulated bench and press Ctrl+Space here."), _port_is_read),
    TourStep(tr("Now follow the dark card: press it, do on the simulated bench what it says, record what you see. "
                "Go on until something is repaired, there ('Replace' or 'Reflow') and in Rework."),
             lambda facts, _: bool(facts.reworks)),
    TourStep(tr("Proof: try each function on the simulated bench ('Try it'), and say here whether it passed."),
             lambda facts, _: bool(facts.proofs)),
    TourStep(tr("Hand-over: say how the job ends. 'Reveal and grade' on the simulated bench tells what was wrong."),
             lambda facts, _: facts.outcome is not None),
)


def step_of(facts: JobFacts, board: Board | None) -> int:
    """Index of the first step that is not done; the number of steps when all are. Done is what was really recorded, so
    it can be left and come back to at will."""
    if board is None:
        return 0
    return next((place for place, step in enumerate(STEPS) if not step.done(facts, board)), len(STEPS))
