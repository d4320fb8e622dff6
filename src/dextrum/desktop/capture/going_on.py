"""A walk that goes on by itself: after its last point, with what the next step reads.

Long searches are one reading after another, each chosen by what the one before has shown. Both hands hold probes, so
the walk waits for the advice, and begins with its points where nothing else comes first: no other kind of step, nothing
to be opened, and nobody who has turned to something else meanwhile.
"""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QApplication, QLineEdit, QWidget

from dextrum.app.advising.steps import kind_of_step
from dextrum.core.advice.actions import Action
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.desktop.frame.job_model import JobModel


def read_next(board: Board, facts: JobFacts, step: Action) -> tuple[str, ...]:
    """Points of a step that is reading and nothing else, on the unit as it is open; none where anything comes first."""
    kind, how_far = kind_of_step(step), board.access_order
    if not kind.reads or kind.command:
        return ()
    points = tuple(name for name in step.points if name in board.point_by_id)
    deepest = max((how_far.get(board.point_by_id[name].access, 0) for name in points), default=0)
    return points if deepest <= how_far.get(facts.access, 0) else ()


class GoingOn(QObject):
    """Waits for the advice after a walk. begin: is given the points of the next one, and what was read before it; over:
    called once it is known that none follows."""

    def __init__(self, model: JobModel, begin: Callable[[tuple[str, ...], tuple[str, ...]], None],
                 over: Callable[[], None], parent: QObject) -> None:
        super().__init__(parent)
        self.model = model
        self._begin, self._over = begin, over
        self._left: tuple[str, int, QWidget | None] | None = None
        self._read: tuple[str, ...] = ()
        self._skipped = frozenset[str]()
        model.assessed.connect(self._look)

    def _here(self) -> tuple[str, int, QWidget | None]:
        return self.model.job_id, len(self.model.trail), QApplication.focusWidget()

    def wait(self, read: tuple[str, ...], skipped: frozenset[str]) -> None:
        """A walk is over, and has left the keyboard where it is now. read: by it, and by those that it went on from;
        skipped: points that it left out. Whoever has read nothing, or skipped what is next, has stopped."""
        self._left, self._read, self._skipped = self._here(), read, skipped
        if read:
            self._look()
        else:
            self.forget()
            self._over()

    def forget(self) -> None:
        """Nothing goes on from here."""
        self._left = None

    def _look(self) -> None:
        if self._left is None or not self.model.fresh:
            return
        left, self._left = self._left, None
        job, count, focus = self._here()
        board, assessment = self.model.board, self.model.assessment
        typing = isinstance(focus, QLineEdit) and bool(focus.text())
        points: tuple[str, ...] = ()
        if (job, count, focus) == left and not typing and board is not None and assessment is not None:
            points = read_next(board, self.model.facts, assessment.advice.next)
        if points and not self._skipped & {*points} and not self.model.readings_held():
            self._begin(points, self._read)
        else:
            self._over()
