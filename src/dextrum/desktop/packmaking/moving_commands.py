"""Placed parts moved, turned, copied, and put in a row."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.core.board import Board
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.packmaking.likes import PlaceOfLike
    from dextrum.core.packmaking.shifting import Shift
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.desktop.packmaking.move_panel import MovePanel


class MovingCommands:
    """Handlers by command id."""

    def __init__(self, window: MainWindow) -> None:
        self.window = window
        self._panel: MovePanel | None = None
        self._begun_on: Board | None = None
        self.handlers: dict[str, Callable[[], None]] = {"pack.move": self.move, "pack.row": self.row}

    def move(self) -> None:
        """Which part; then it follows arrows and the mouse."""
        from dextrum.core.packmaking.shifting import movable

        window = self.window

        def answer(text: str, _choice: str) -> str:
            board = window.model.board
            assert board is not None
            try:
                part = movable(board, text.strip().upper())
            except ValueError as problem:
                return f"{problem}".replace("; expected", ": expected")
            first = board.point_by_id.get(f"{part.designator}.{part.terminals[0].name}")
            pin_one = (first.x_mm - part.x_mm, first.y_mm - part.y_mm) if first is not None else None

            def begin() -> None:
                window.show_view("board")
                self._moving().begin(part, pin_one)
                self._begun_on = board

            QTimer.singleShot(0, window, begin)
            return ""

        view = window.views.board
        chosen = view.plan.current.partition(".")[0]
        window.ask.ask(tr("Which placed part is moved?"), answer, chosen, (), window.focusWidget())

    def _moving(self) -> MovePanel:
        if self._panel is None:
            from dextrum.desktop.packmaking.move_panel import MovePanel

            view = self.window.views.board
            self._panel = MovePanel(view.plan)
            view.body.insertWidget(0, self._panel)
            self._panel.kept.connect(self._keep)
            self._panel.copied.connect(self._copy)
            self.window.model.changed.connect(self._over)
        return self._panel

    def _over(self) -> None:
        if self._panel is not None and self.window.model.board is not self._begun_on:
            self._panel.leave()

    def _keep(self, designator: str, shift: Shift) -> None:
        from dextrum.core.packmaking.shifting import shifted

        self._grow(lambda board: shifted(board, designator, shift),
                   tr("{designator} lies at {x_mm:.1f} {y_mm:.1f} mm now", designator=designator, x_mm=shift.x_mm,
                      y_mm=shift.y_mm))

    def _copy(self, designator: str, shift: Shift) -> None:
        from dextrum.core.packmaking.likes import PlaceOfLike
        from dextrum.core.packmaking.shifting import copyable

        board = self.window.model.board
        try:
            if board is not None:
                copyable(board, designator)
        except ValueError as problem:
            self.window.trail.say(f"{problem}".replace("; expected", ": expected"))
            return
        self._place_likes(designator, (PlaceOfLike(shift.x_mm, shift.y_mm, bool(shift.quarters % 2), 1.0),))

    def _place_likes(self, designator: str, places: tuple[PlaceOfLike, ...]) -> None:
        from dextrum.core.packmaking.likes import free_designators, with_likes

        board = self.window.model.board
        if board is None:
            return
        names = free_designators(board, designator, len(places))
        said = f"{names[0]}" + (tr(" to {names}", names=names[-1]) if len(names) > 1 else "")
        self._grow(lambda now: with_likes(now, now.component_by_designator[designator], places),
                   tr("{said} placed, nets unknown until they are probed", said=said))

    def _grow(self, change: Callable[[Board], Board], said: str) -> None:
        window, board = self.window, self.window.model.board
        if board is None:
            return
        try:
            window.session.library.keep(change(board))
        except ValueError as problem:
            window.trail.say(f"{problem}".replace("; expected", ": expected"))
            return
        except DextrumError as problem:
            window.say_problem(str(problem))
            return
        window.model.pack_has_grown()
        window.trail.say(said)

    def row(self) -> None:
        """Like which part, how many, and where the first and the last lie."""
        from dextrum.core.packmaking.shifting import copyable, row_of

        window = self.window

        def answer(text: str, _choice: str) -> str:
            board, words = window.model.board, text.replace(",", ".").split()
            assert board is not None
            try:
                if len(words) != 6:
                    raise ValueError(tr("a part, how many, and two places are wanted; expected such as C14 8 10 5 "
                                        "24 5"))
                part = copyable(board, words[0].upper())
                x, y, last_x, last_y = (float(word) for word in words[2:])
                places = row_of((x, y), (last_x, last_y), int(words[1]))
            except ValueError as problem:
                wrong = f"{problem}"
                return wrong.replace("; expected", ": expected") if "; expected" in wrong else (
                    tr("How many is a whole number, places are millimetres: C14 8 10 5 24 5."))
            QTimer.singleShot(0, window, lambda: self._place_likes(part.designator, places))
            return ""

        window.ask.ask(tr("Row like a part: how many, first and last place, in mm. C14 8 10 5 24 5"), answer, "", (),
                       window.focusWidget())
