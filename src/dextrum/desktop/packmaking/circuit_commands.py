"""A circuit's template laid over the pack in hand: which template, then which part has each role, line by line."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board import Board
    from dextrum.core.packmaking.circuit_template import CircuitTemplate
    from dextrum.desktop.frame.window import MainWindow


class CircuitCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self.handlers: dict[str, Callable[[], None]] = {"pack.circuit": self.circuit, "pack.pair": self.pair}

    def circuit(self) -> None:
        """Which template; the parts that likeliest have its roles stand in the field, Enter takes them."""
        from dextrum.app.packmaking.circuits import circuits, own_folder, that_fit
        from dextrum.core.packmaking.circuit_template import misfit

        window, board = self.window, self.window.model.board
        if board is None:
            return
        back = window.focusWidget()
        templates, troubles = circuits(own_folder(window.session.library))
        fitting = that_fit(board, templates)
        if troubles:
            window.say_problem(" ".join(troubles))
        if not fitting:
            window.trail.say(tr("No template fits this port: ") + "; ".join(
                misfit(one, board) for one in templates.values()) + ".")
            return

        def chosen(_text: str, template: str) -> str:
            QTimer.singleShot(0, window, lambda: self._roles(board, templates[template], back_to=back))
            return ""

        kept = board.circuit.template if board.circuit is not None else ""
        first = sorted(fitting, key=lambda one: one.id != kept)
        window.ask.ask(tr("Circuit behind the port. Up and Down choose, Enter takes it"), chosen, "",
                       tuple((one.id, one.title) for one in first), back)

    def _roles(self, board: Board, template: CircuitTemplate, back_to: object) -> None:
        from PySide6.QtWidgets import QWidget

        from dextrum.app.packmaking.circuits import NONE, laid, laid_words, parts_typed, question
        from dextrum.core.packmaking.circuit_template import suggested

        window = self.window
        back = back_to if isinstance(back_to, QWidget) else None
        likely = suggested(template, board)
        told: dict[str, tuple[str, ...]] = {}

        def ask(number: int) -> None:
            role = template.role[number]
            free = [name for name in likely.get(role.id, ()) if all(name not in names for names in told.values())]

            def answer(text: str, _choice: str) -> str:
                try:
                    told[role.id] = parts_typed(role, text)
                    if number + 1 == len(template.role):
                        return keep()
                    laid(board, template, told)  # what is wrong is told where it was typed
                except DextrumError as problem:
                    return f"{problem.happened} {problem.next_step}"
                QTimer.singleShot(0, window, lambda: ask(number + 1))
                return ""

            window.ask.ask(question(role), answer, " ".join(free) or NONE, (), back)

        def keep() -> str:
            now = window.model.board
            if now is not board:
                return tr("Another job or another state of the pack is open now. Nothing was changed.")
            grown = laid(board, template, told)
            window.session.library.keep(grown)
            window.model.pack_has_grown()
            window.trail.say(laid_words(grown, template))
            return ""

        ask(0)

    def pair(self) -> None:
        """A filter, and the two contacts from which its lines beep."""
        from dextrum.app.packmaking.circuits import in_pair

        window = self.window

        def answer(text: str, _choice: str) -> str:
            board = window.model.board
            if board is None:
                return tr("No job is open.")
            try:
                window.session.library.keep(in_pair(board, text))
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            window.model.pack_has_grown()
            window.trail.say(tr("{split} sits in the pair of {split2}", split=text.split()[0].upper(),
                                split2=tr(" and ").join(text.upper().split()[1:])))
            return ""

        window.ask.ask(tr("Filter, and the contacts from which its two lines beep: FL1 A2 A3"), answer, "", (),
                       window.focusWidget())
