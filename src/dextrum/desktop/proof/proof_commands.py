"""What the commands of the proof do: that something comes and goes, that a check is left out."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dextrum.core.trail import ComesAndGoes, LeftOut
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow


class ProofCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "proof.sometimes": self.sometimes, "proof.leave": self.leave, "proof.measure": self.measure}

    def _checks(self) -> tuple[tuple[str, str], ...]:
        """All checks, the chosen one first."""
        board = self.model.board
        chosen = self.window.views.proof.chosen_check()
        checks = board.checks if board is not None else ()
        return tuple((c.id, c.words) for c in sorted(checks, key=lambda one: one.id != chosen))

    def measure(self) -> None:
        """Record what the power meter shows for the chosen check, here; the same again ends it."""
        view = self.window.views.proof
        live = self.window.views.supply.live
        if live is not None and live.running:
            live.end()
            return
        way = view.way_of(view.chosen_check()) or next(
            (one for check in self._checks() if (one := view.way_of(check[0]))), "")
        if not way:
            self.window.trail.say(tr("No check of this pack reads the power meter."))
            return
        gear = self.window.commands.gear
        if gear.record_draw(way):
            panel = self.window.views.supply.live
            assert panel is not None
            view.follow(panel, way)

    def sometimes(self) -> None:
        """How often it shows; then it is tried as often as it takes."""
        checks = self._checks()
        if not checks:
            self.window.trail.say(tr("This pack lists no checks."))
            return

        def answer(text: str, check: str) -> str:
            from dextrum.app.proof.often import parse_often, wanted_words

            try:
                said: ComesAndGoes = parse_often(check, text)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            if self.model.record(said):
                self.window.trail.say(tr("Comes and goes: {wanted_words}", wanted_words=wanted_words(said)))
            return ""

        self.window.ask.ask(
            tr("How often does it show? 1 in 5, 20 %, every 10 min; then what brings it on"),
            answer,
            "",
            checks,
            self.window.focusWidget(),
        )

    def leave(self) -> None:
        """A check that is left out on purpose, and why."""
        checks = self._checks()
        if not checks:
            self.window.trail.say(tr("This pack lists no checks."))
            return

        def answer(text: str, check: str) -> str:
            from dextrum.app.proof.proves import unproved_without

            if not text.strip():
                return tr("A reason: it stands on the owner's sheet.")
            board = self.model.board
            unproved = unproved_without(board, self.model.facts, check) if board is not None else ()
            if self.model.record(LeftOut(check, text.strip())):
                said = tr("; unproved stays: {unproved}",
                          unproved=", ".join(unproved)) if unproved else tr("; nothing stays unproved by it")
                self.window.trail.say(tr("Left out{said}. The reason stands on the sheet.", said=said))
            return ""

        self.window.ask.ask(tr("Why is it left out? The owner reads it"), answer, "", checks, self.window.focusWidget())
