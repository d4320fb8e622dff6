"""What could be done instead, each with what it costs more: pressed, it goes to where that is done."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from dextrum.core.advice.actions import Action
from dextrum.desktop.frame.press_line import PressLine
from dextrum.tongue import tr

MOST = 3


class OtherSteps(QWidget):
    """Signals: chosen (the step)."""

    chosen = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(2)
        self.head = QLabel(tr("Instead, by expected work:"))
        self.head.setWordWrap(True)
        self.head.setObjectName("quiet")
        column.addWidget(self.head)
        self.lines = tuple(PressLine(role="quiet") for _ in range(MOST))
        self._steps: tuple[Action, ...] = ()
        for place, line in enumerate(self.lines):
            line.clicked.connect(lambda _checked=False, at=place: self.chosen.emit(self._steps[at]))
            column.addWidget(line)
        self.show_steps(())

    def show_steps(self, steps: tuple[tuple[str, Action], ...]) -> None:
        """steps: words and the step they are of."""
        self._steps = tuple(step for _, step in steps[:MOST])
        self.setVisible(bool(steps))
        for place, line in enumerate(self.lines):
            line.setText(steps[place][0] if place < len(self._steps) else "")
            line.setVisible(place < len(self._steps))

    def text(self) -> str:
        """All of it, as it is read."""
        shown = [line.text() for line in self.lines if line.text()]
        return "\n".join([self.head.text(), *shown]) if shown else ""
