"""What is shown while no job is open: the ways to begin."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.app.commands import BY_ID
from dextrum.desktop.frame.command_row import hint_of
from dextrum.desktop.theme import look
from dextrum.tongue import tr

WAYS = ("job.new", "demo.open", "instrument.find", "guide.packs", "job.import", "guide.open")
"""Commands offered, in the order of the first half hour."""


class Welcome(QWidget):
    """Signals: asked (a command's id)."""

    asked = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 24, 18, 18)
        column.setSpacing(8)
        title = QLabel(tr("Nothing is on the bench"))
        title.setObjectName("sentence")
        words = QLabel(tr("Begin with any of these. A job file or a board pack can be dropped on the window as well."))
        words.setWordWrap(True)
        column.addWidget(title)
        column.addWidget(words)
        self.buttons: dict[str, QPushButton] = {}
        for name in WAYS:
            command = BY_ID[name]
            button = QPushButton(command.title + (f"  ·  {command.keys}" if command.shortcut else ""))
            button.setMinimumHeight(look.px(40))
            button.setMaximumWidth(look.px(460))
            button.setToolTip(hint_of(command))
            button.clicked.connect(lambda _checked=False, one=name: self.asked.emit(one))
            what = QLabel(command.what)
            what.setObjectName("quiet")
            what.setWordWrap(True)
            self.buttons[name] = button
            column.addWidget(button)
            column.addWidget(what)
        column.addStretch(1)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)

    def begin(self) -> None:
        """The keyboard on the first way."""
        self.buttons[WAYS[0]].setFocus()
