"""What is gone through step by step in the demo, a first job and a first pack: the steps, and by what on the trail and
in the pack each is really done."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from dextrum.core.board import Board, Side
from dextrum.core.job import JobFacts
from dextrum.tongue import tr


@dataclass(frozen=True)
class TourState:
    """Of the job in hand. own: whether its pack is the shop's own; photos: of how many sides its pack has one."""

    facts: JobFacts
    board: Board
    own: bool = False
    photos: int = 0


@dataclass(frozen=True)
class TourStep:
    """words: what to do and where."""

    words: str
    done: Callable[[TourState], bool]


@dataclass(frozen=True)
class Tour:
    """head: what it is called while it goes on; end: what is said once all is done."""

    id: str
    head: str
    end: str
    steps: tuple[TourStep, ...]


def _port_is_read(now: TourState) -> bool:
    read = {point for _epoch, point, _method in now.facts.readings or {}}
    return set(now.board.port_point_ids()) <= read


def _both_sides(now: TourState) -> bool:
    return {side for _epoch, side in now.facts.supplies or {}} >= {"a", "b"}


def _placed(board: Board) -> int:
    return sum(not part.undescribed for part in board.components)


SOME_PARTS, MOST_PARTS = 10, 45
"""Of the Grip's sixty: those that are placed one by one, and with those that look like one of them."""

STEPS: tuple[TourStep, ...] = (
    TourStep(tr("Intake: the other window is the simulated bench, with a unit that just came in. Press 'Ask the "
                "owner' there, tick here what is said, and press 'Record the intake'."),
             lambda now: now.facts.intake is not None and bool(now.facts.intake.present or now.facts.intake.complaint)),
    TourStep(tr("Supply: press 'Look into the port' on the simulated bench, tick here what it says, record the look."),
             lambda now: now.facts.look is not None),
    TourStep(tr("Supply: press 'Plug in' on the simulated bench, A side up, and 'Record live' here; after a while "
                "press it again. Then the same with the B side up. Or type what the meter shows, such as 5.1 0.36."),
             _both_sides),
    TourStep(tr("Take the cell out on the simulated bench ('Cell', then 'Do it'). Then press 'cell in' at the top "
                "here and say that it is unplugged: no probe touches a board with its cell in."),
             lambda now: now.facts.cell == "unplugged"),
    TourStep(tr("Port: press 'Port tester' to read all contacts at once, or touch one after another on the "
                "simulated bench and press Ctrl+Space here."), _port_is_read),
    TourStep(tr("Now follow the dark card: press it, do on the simulated bench what it says, record what you see. "
                "Go on until something is repaired, there ('Replace' or 'Reflow') and in Rework."),
             lambda now: now.facts.epoch > 0),
    TourStep(tr("Proof: try each function on the simulated bench ('Try it'), and say here whether it passed."),
             lambda now: bool(now.facts.proofs)),
    TourStep(tr("Hand-over: say how the job ends. 'Reveal and grade' on the simulated bench tells what was wrong."),
             lambda now: now.facts.outcome is not None),
)


PACK_STEPS: tuple[TourStep, ...] = (
    TourStep(tr("On the simulated bench choose 'a Tarnwick Grip that works' at 'Unit', press 'Lay it here', and take "
                "its cell out. Then press 'New job' here and choose another model: Tarnwick Grip; a socket of its own "
                "kind, vin vin dat det gnd gnd; it opens by: shell open 7."), lambda now: now.own),
    TourStep(tr("Say that the cell is unplugged (Ctrl+U). Port: read the six contacts, each touched on the simulated "
                "bench. Pack: press 'This unit is good…'."),
             lambda now: any(t.junction_volts is not None for part in now.board.components if part.undescribed
                             for t in part.terminals)),
    TourStep(tr("Pack: 'Photo…', once for each side. The file stands there already. Click the four corners of the "
                "board, then type its size: 58 x 26."), lambda now: now.photos >= len(Side)),
    TourStep(tr("Pack: 'Place a part…', and a click where the photo shows it: J1 12x3 for the port, then F1, D1 4, "
                "U1 10 3x3, U2 16 6x6, U3 4 2x2, U4 5 2x2, L1 3x3, L2 3x3, J2 3 3x5, J4 2 2x3, and C1 on the first "
                "capacitor."), lambda now: _placed(now.board) > SOME_PARTS),
    TourStep(tr("Pack: 'Find its like…' shows what looks like C1: A takes all that follow, Enter places them. The same "
                "for a resistor, and for the bottom, to which F turns the plan."),
             lambda now: _placed(now.board) >= MOST_PARTS),
    TourStep(tr("Pack: 'Nets by probing…', then 'Listen to the meter'. On the simulated bench tick that the tips "
                "follow: they go where they are asked for. Space says no where nothing beeps. At the end 'Keep the "
                "nets'."),
             lambda now: _placed(now.board) >= MOST_PARTS and not now.board.unknown_points),
    TourStep(tr("Pack: 'Circuit…'. Enter takes what stands there, one role after the other."),
             lambda now: now.board.circuit is not None),
    TourStep(tr("Lay 'a Tarnwick Grip that does not charge' on the simulated bench, and press 'New job' for it. Follow "
                "the dark card to the hand-over: the pack that you made judges it."),
             lambda now: now.facts.epoch > 0 and now.facts.outcome is not None),
)
FIRST_JOB = Tour("job", tr("Guided job"),
                 tr("You have gone through a whole job. Take in another, or look around."), STEPS)
FIRST_PACK = Tour("pack", tr("Guided pack"),
                  tr("You have made a pack and repaired a unit with it. Each further job makes it better."), PACK_STEPS)


def step_of(tour: Tour, now: TourState | None) -> int:
    """Index of the first step that is not done; the number of steps when all are. Done is what was really recorded, so
    it can be left and come back to at will. now: None where no job is in hand, or it has no pack."""
    if now is None:
        return 0
    return next((place for place, step in enumerate(tour.steps) if not step.done(now)), len(tour.steps))
