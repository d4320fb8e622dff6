"""What the commands of the teardown do: turn round, the mat, a map made while a unit is opened."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from dextrum.app.packmaking.fasteners import FASTENER_HINT, with_fastener
from dextrum.errors import DextrumError
from dextrum.store.files import safe_name

if TYPE_CHECKING:
    from pathlib import Path

    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.teardown.view import TeardownView


class TeardownCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self.handlers: dict[str, Callable[[], None]] = {
            "teardown.turn": lambda: self._view().turn(), "teardown.mat": self.mat, "teardown.add": self.add}

    def _view(self) -> TeardownView:
        from dextrum.desktop.teardown.view import TeardownView

        self.window.show_view("teardown")
        view = self.window.views["teardown"]
        assert isinstance(view, TeardownView)
        return view

    def mat(self) -> None:
        """One page in true size."""
        from dextrum.app.handover.shop_paper import shop_paper

        board = self.model.board
        if board is None or not board.fasteners:
            self.window.trail.say("This pack has no map of how the unit opens.")
            return
        paper = shop_paper(self.window.session.store).paper

        def write(path: Path, over: bool) -> None:
            from dextrum.desktop.teardown.mat import write_mat

            write_mat(board, path, over, paper)

        self.window.commands.ask_file("Write the mat to", safe_name(f"{board.pack_id} mat", ".pdf"), write)

    def add(self) -> None:
        """One fastener more on the map of an own pack, as it is undone; and it is out."""
        back = self.window.focusWidget()

        def answer(text: str, _choice: str) -> str:
            board = self.model.board
            assert board is not None
            try:
                grown, made = with_fastener(board, text, self.model.facts.access)
                self.window.session.library.keep(grown)
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.pack_has_grown()
            self._view().record_as_undone(made.id)
            self.window.trail.say(f"{made.kind.capitalize()} {made.id} is on the map, and out")
            from PySide6.QtCore import QTimer

            QTimer.singleShot(0, self.window, self.add)
            return ""

        self.window.ask.ask(FASTENER_HINT, answer, "", (), back)


