"""Placed parts moved, turned, copied, and put in a row."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.core.board import Board, Side
from dextrum.errors import DextrumError
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.packmaking.likes import PlaceOfLike
    from dextrum.core.packmaking.row_words import RowToPlace
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
        from dextrum.core.packmaking.shifting import copied

        self._grow(lambda board: copied(board, designator, shift),
                   tr("Another like {designator} placed, nets unknown until they are probed", designator=designator))

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
        """Like which part, or pads of which connector, and how many; where the first and the last lie is typed, or
        clicked."""
        from dextrum.core.packmaking.row_words import parse_row

        window = self.window
        begun_on = window.model.board

        def answer(text: str, _choice: str) -> str:
            assert begun_on is not None
            try:
                row = parse_row(begun_on, text)
            except ValueError as problem:
                return f"{problem}".replace("; expected", ": expected")
            QTimer.singleShot(0, window, lambda: self._placed_row(row) if row.ends else self._clicked_row(row))
            return ""

        window.views.board.plan.place_by(None)
        window.ask.ask(tr("Row: C14 8 like a part, J2 20 pads of a connector; then two clicks, or both places in mm: "
                          "C14 8 10 5 24 5"), answer, "", (), window.focusWidget())

    def _clicked_row(self, row: RowToPlace) -> None:
        """The first, then the last, by clicks on the plan; Esc leaves it."""
        window, plan, begun_on = self.window, self.window.views.board.plan, self.window.model.board
        clicks: list[tuple[float, float]] = []

        def at(x_mm: float, y_mm: float, side: str) -> None:
            clicks.append((x_mm, y_mm))
            if window.model.board is begun_on and len(clicks) < 2:
                window.trail.say(tr("Now click where the last of them lies"))
                return
            plan.place_by(None)
            if window.model.board is begun_on:
                self._placed_row(replace(row, ends=(clicks[0], clicks[1]), side=Side(side)))
            else:
                window.trail.say(tr("The pack has changed meanwhile; nothing was placed."))

        plan.place_by(at)
        window.show_view("board")
        plan.setFocus()
        window.trail.say(tr("Click where the first of them lies, or leave it with Esc"))

    def _placed_row(self, row: RowToPlace) -> None:
        from dextrum.core.packmaking.pad_row import with_pad_row
        from dextrum.core.packmaking.shifting import row_of

        assert row.ends is not None
        first, last = row.ends
        if not row.pads:
            try:
                self._place_likes(row.designator, row_of(first, last, row.count))
            except ValueError as problem:
                self.window.trail.say(f"{problem}".replace("; expected", ": expected"))
            return
        side = row.side or self.window.views.board.plan.side
        self._grow(lambda board: with_pad_row(board, row.designator, row.count, side, first, last),
                   tr("{designator} placed by its first and last pad, nets unknown until they are probed",
                      designator=row.designator))
