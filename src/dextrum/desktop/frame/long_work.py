"""Work that may take long: a line that says what runs, how far it is, and stops it. One at a time."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QProgressBar, QPushButton, QWidget

from dextrum.desktop.frame.background import Background, Work
from dextrum.errors import DextrumError
from dextrum.tongue import tr

SHOWN_AFTER_MILLISECONDS = 300
"""What is done before is not worth a line that flashes."""


SMALL_BYTES = 200_000


def is_small(path: Path) -> bool:
    """Whether a file is read before anybody notices; one that can't be looked at is told at once, so it is small."""
    try:
        return path.stat().st_size < SMALL_BYTES
    except (OSError, ValueError):
        return True


class LongWork(QFrame):
    """told: where words go that say what went wrong."""

    def __init__(self, told: Callable[[str], None], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("palette")
        self.setAccessibleName(tr("Work that is running"))
        self._told = told
        self._done: Callable[[object], None] = lambda _result: None
        self.words = QLabel()
        self.words.setTextFormat(Qt.TextFormat.PlainText)
        self.bar = QProgressBar()
        self.bar.setRange(0, 100)
        self.bar.setAccessibleName(tr("How far it is"))
        self.stop = QPushButton(tr("Stop (Esc)"))
        self.stop.clicked.connect(self.cancel)
        line = QHBoxLayout(self)
        line.addWidget(self.words)
        line.addWidget(self.bar, 1)
        line.addWidget(self.stop)
        self._work = Background(self)
        self._work.progressed.connect(lambda share: self.bar.setValue(round(100 * share)))
        self._work.finished.connect(self._finished)
        self._work.failed.connect(self._failed)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(SHOWN_AFTER_MILLISECONDS)
        self._later.timeout.connect(self._show)
        self.hide()

    @property
    def busy(self) -> bool:
        return self._work.busy

    def run(self, words: str, work: Work, done: Callable[[object], None], small: bool) -> str:
        """Begin; returns what is wrong at once, or nothing. small: it is over before anybody notices, and done here
        and now. done: is given the result, on the window's thread."""
        if self._work.busy:
            return tr("Still at work: {text}. Stop it first, or wait.", text=self.words.text())
        if small:
            try:
                result = work(lambda _share: True)
            except DextrumError as problem:
                self._told(str(problem))
                return problem.happened
            done(result)
            return ""
        self._done = done
        self.words.setText(words)
        self.bar.setValue(0)
        self._later.start()
        self._work.start(work)
        return ""

    def cancel(self) -> None:
        self._work.cancel()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.cancel()
        else:
            super().keyPressEvent(event)

    def _show(self) -> None:
        if self._work.busy:
            self.show()

    def _finished(self, result: object) -> None:
        self._end()
        self._done(result)

    def _failed(self, words: str) -> None:
        self._end()
        self._told(words)

    def _end(self) -> None:
        self._later.stop()
        self.hide()

    def leave(self) -> None:
        """The window closes."""
        self._later.stop()
        self._work.close()
