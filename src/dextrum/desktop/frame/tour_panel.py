"""What is gone through step by step, beside the shelf: one step at a time, which goes on by itself when it was done."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout

from dextrum.app.job.tour import Tour, TourState, step_of
from dextrum.desktop.frame.view import quiet_label
from dextrum.tongue import tr


class TourPanel(QFrame):
    """Signals: left (it is put away; it can be come back to)."""

    left = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("palette")
        self.setAccessibleName(tr("Step by step"))
        column = QVBoxLayout(self)
        column.setContentsMargins(8, 6, 8, 6)
        self.head = QLabel()
        self.head.setObjectName("section")
        self.head.setWordWrap(True)
        self.words = quiet_label()
        self.leave = QPushButton(tr("Leave, come back later"))
        self.leave.setObjectName("tool")
        self.leave.clicked.connect(self.left)
        for part in (self.head, self.words, self.leave):
            column.addWidget(part)
        self.hide()

    def show_for(self, tour: Tour, now: TourState | None) -> None:
        """now: of the job in hand, where the tour has one."""
        at = step_of(tour, now)
        done = at == len(tour.steps)
        self.head.setText(tr("{tour}: done", tour=tour.head) if done
                          else tr("{tour} · {at} of {count}", tour=tour.head, at=at + 1, count=len(tour.steps)))
        self.words.setText(tour.end if done else tour.steps[at].words)
        self.leave.setText(tr("Put this away") if done else tr("Leave, come back later"))
        self.show()
