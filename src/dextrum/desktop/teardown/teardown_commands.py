"""What the commands of the teardown do: turn round, the mat, a map made while a unit is opened."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.app.packmaking.fasteners import FASTENER_HINT, says_where, with_fastener
from dextrum.errors import DextrumError
from dextrum.store.files import safe_name
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.teardown.case_plan import CasePlan
    from dextrum.desktop.teardown.view import TeardownView


class TeardownCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window, self.model = window, window.model
        self._plan: CasePlan | None = None
        self._placing = ""
        self.handlers: dict[str, Callable[[], None]] = {
            "teardown.turn": lambda: self._view().turn(), "teardown.mat": self.mat, "teardown.add": self.add,
            "teardown.photo": self.photo}

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
            self.window.trail.say(tr("This pack has no map of how the unit opens."))
            return
        paper = shop_paper(self.window.session.store).paper

        def write(path: Path, over: bool) -> None:
            from dextrum.desktop.teardown.mat import write_mat

            write_mat(board, path, over, paper)

        self.window.commands.ask_file(tr("Write the mat to"),
                                      safe_name(tr("{name} mat", name=board.pack_id), ".pdf"), write)

    def photo(self) -> None:
        """A picture of the case under the map, so that screws are placed where they are seen."""
        def answer(text: str, _choice: str) -> str:
            if not text.strip():
                return tr("The file's name: a PNG, JPEG or WebP.")
            self._view().open_photo(Path(text.strip()).expanduser())
            return ""

        self.window.ask.ask(tr("Photo of the case as it lies while it is opened, as a file"), answer, "", (),
                            self.window.focusWidget())

    def add(self) -> None:
        """One fastener more on the map of an own pack, as it is undone; and it is out."""
        board = self.model.board
        if board is not None and not board.case_mm:
            self._ask_size()
            return
        view = self._view()

        def answer(text: str, _choice: str) -> str:
            if says_where(text):
                return self._keep(text)
            board = self.model.board
            assert board is not None
            try:
                with_fastener(board, f"{text} at 0 0", self.model.facts.access)  # what is wrong with it is said before
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.window.trail.say(tr("Click where it lies; or arrows, then Enter. Esc leaves."))
            QTimer.singleShot(0, self.window, lambda: self._place(text))
            return ""

        self.window.ask.ask(FASTENER_HINT, answer, "", (), view.plan)

    def _ask_size(self) -> None:
        """The case first, on which the rest is placed."""
        def answer(text: str, _choice: str) -> str:
            from dextrum.app.packmaking.fasteners import with_case
            from dextrum.desktop.packmaking.photo import parse_size

            board = self.model.board
            assert board is not None
            try:
                self.window.session.library.keep(with_case(board, *parse_size(text)))
            except DextrumError as problem:
                return f"{problem.happened} {problem.next_step}"
            self.model.pack_has_grown()
            QTimer.singleShot(0, self.window, self.add)
            return ""

        self.window.ask.ask(tr("How large is the case as it lies, in mm? Such as 100 x 74"), answer, "", (),
                            self.window.focusWidget())

    def _place(self, text: str) -> None:
        plan = self._view().plan
        if self._plan is not plan:
            plan.placed.connect(self._placed)
            self._plan = plan
        self._placing = text
        plan.begin_placing()

    def _placed(self, x_mm: float, y_mm: float) -> None:
        wrong = self._keep(f"{self._placing} at {x_mm:g} {y_mm:g}")
        if wrong:
            self.window.say_problem(wrong)

    def _keep(self, text: str) -> str:
        """Put a line on the map, and ask for the next; what is wrong with it, else nothing."""
        board = self.model.board
        assert board is not None
        try:
            grown, made = with_fastener(board, text, self.model.facts.access)
            self.window.session.library.keep(grown)
        except DextrumError as problem:
            return f"{problem.happened} {problem.next_step}"
        self.model.pack_has_grown()
        self._view().record_as_undone(made.id)
        self.window.trail.say(tr("{kind} {id} is on the map, and out", kind=made.kind.capitalize(), id=made.id))
        QTimer.singleShot(0, self.window, self.add)
        return ""


