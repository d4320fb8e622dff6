"""What the commands of looking and swapping do: the board under magnification, and known-good things tried."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dextrum.app.advising.looking import parse_board_look, swap_words
from dextrum.core.board import Side
from dextrum.core.trail import SWAPS, BoardLook, Swap
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

GONE = {"gone": True, "g": True, "away": True, "still": False, "s": False, "stays": False, "there": False,
        "weg": True, "w": True, "noch": False, "n": False, "bleibt": False, "da": False}
PLUGGED = ("supply", "cable", "dock")


class LookingCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.model = window.model
        self.handlers: dict[str, Callable[[], None]] = {"board.look": self.look, "swap.known_good": self.swap}

    def look(self) -> None:
        """One side of the board, or what lies round a part before heat goes on it; what the advice asks for is offered
        first."""
        board = self.model.board
        if board is None:
            self.window.trail.say(tr("Without a board pack there are no parts to name."))
            return
        done = self.model.assessment
        steps = (done.advice.next, *done.advice.ranked) if done is not None else ()
        offered = next((a.target for a in steps if a.kind == "look_board"), "")
        counted = next((a.target for a in steps if a.kind == "count_round"), "")
        shown = offered or self.window.views.board.plan.side.value

        def answer(text: str, where: str) -> str:
            part = board.component_by_designator.get(where)
            side = part.side.value if part is not None else where
            try:
                seen = parse_board_look(board, side, text)
            except DextrumError as problem:
                return problem.happened
            look = BoardLook("bottom" if side == "bottom" else "top", seen,
                             before_heat_on=part.designator if part is not None else "")
            return "" if self.model.record(look) else tr("Not recorded.")

        sides = tuple((side.value, tr("{side} side", side=tr(side.value)))
                      for side in sorted(Side, key=lambda s: s.value != shown))
        choices = (*(((counted, tr("counted round {part}", part=counted)),) if counted else ()), *sides)
        self.window.ask.ask(tr("Seen on the board (C62 missing, U3 burst); empty: nothing"), answer, "", choices,
                            self.window.focusWidget())

    def show_side(self, of: str) -> None:
        """The plan with that side up, or the one that this part sits on."""
        part = self.model.board.component_by_designator.get(of) if self.model.board is not None else None
        self.window.show_view("board")
        plan = self.window.views.board.plan
        plan.side = part.side if part is not None else Side(of)
        plan.update()

    def swap(self) -> None:
        """A known-good thing in place of the owner's, and whether what the owner says went with it."""
        board = self.model.board
        if board is None or not board.symptoms:
            self.window.trail.say(tr("This pack names no symptoms that could go or stay."))
            return
        intake = self.model.facts.intake
        said = [s for s in board.symptoms if intake is not None and s.id in intake.present] or list(board.symptoms)
        choices = tuple((f"{what} {symptom.id}", f"{what}: {symptom.words}") for symptom in said for what in SWAPS)

        def answer(text: str, choice: str) -> str:
            gone = GONE.get(text.strip().casefold())
            if gone is None:
                return tr("gone, or still")
            what, _, symptom = choice.partition(" ")
            held = [gate for gate in self.model.gates if gate.holds_power]
            if what in PLUGGED and held:
                return tr("Hold: {words}", words=held[0].words)
            swap = Swap(what, symptom, gone)  # type: ignore[arg-type]
            if not self.model.record(swap):
                return tr("Not recorded.")
            self.window.trail.say(swap_words(board, swap))
            return ""

        self.window.ask.ask(tr("With a known-good one: gone, or still"), answer, "", choices,
                            self.window.focusWidget())
