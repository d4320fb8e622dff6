"""The guided first job beside the shelf: one step at a time, which goes on by itself when it was done."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout

from dextrum.app.job.tour import STEPS, step_of
from dextrum.core.board import Board
from dextrum.core.job import JobFacts
from dextrum.desktop.frame.view import quiet_label
from dextrum.tongue import tr


class TourPanel(QFrame):
    """Signals: left (it is put away; it can be come back to)."""

    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("palette")
        self.setAccessibleName(tr("Guided first job"))
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        self.head = QLabel()
        self.head.setObjectName("section")
        self.words = quiet_label()
        self.leave = QPushButton(tr("Leave, come back later"))
        self.leave.setObjectName("tool")
        self.leave.clicked.connect(self.left)
        for part in (self.head, self.words, self.leave):
            column.addWidget(part)
        self.hide()

    def show_for(self, facts: JobFacts, board: Board | None) -> None:
        """facts and board: of the tour's job."""
        at = step_of(facts, board)
        done = at == len(STEPS)
        self.head.setText(tr("Guided job: done") if done else tr("Guided job, step {at} of {count}", at=at + 1,
                                                                 count=len(STEPS)))
        self.words.setText(tr("You have gone through a whole job. Take in another, or look around.") if done
                           else STEPS[at].words)
        self.leave.setText(tr("Put this away") if done else tr("Leave, come back later"))
        self.show()
