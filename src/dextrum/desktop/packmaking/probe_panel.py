"""Nets by probing: what to touch next, and what came of it."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from dextrum.app.packmaking.probe_words import doubt_words, progress_words, question_words, where_words
from dextrum.desktop import theme
from dextrum.desktop.frame.flow_layout import FlowLayout
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.frame.view import quiet_label
from dextrum.desktop.theme import look
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.board import Board
    from dextrum.core.packmaking.netting import Ask
    from dextrum.core.packmaking.probing import Probing

FIELD_PIXELS = 90


class ProbePanel(QFrame):
    """One question at a time; B and N answer for a pair, Enter for a reading. Signals: touched (two points, and whether
    it beeped), read (a point and what is typed), kept (write what is settled into the pack), listens (the meter is to
    answer, or no longer), tapped (a foot switch or Space while it does: no)."""

    touched = Signal(str, str, bool)
    read = Signal(str, str)
    kept = Signal()
    listens = Signal()
    tapped = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(tr("Nets by probing"))
        self.ask: Ask | None = None
        self.listening, self.pedal = False, 0
        self.head = QLabel(tr("Nets by probing"))
        self.head.setObjectName("section")
        self.question = QLabel()
        self.question.setObjectName("sentence")
        self.where, self.progress, self.said = quiet_label(), quiet_label(), QLabel()
        for label in (self.question, self.where, self.progress, self.said):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.field = ValueField()
        self.field.setMaximumWidth(look.px(FIELD_PIXELS))
        self.field.returnPressed.connect(self._typed)
        self.unit = QLabel("V")
        self.beeps, self.quiet = QPushButton(tr("It beeps · B")), QPushButton(tr("It doesn't · N"))
        self.beeps.clicked.connect(lambda: self._answer(True))
        self.quiet.clicked.connect(lambda: self._answer(False))
        self.by_meter, self.heard = QPushButton(tr("Listen to the meter")), quiet_label()
        self.by_meter.clicked.connect(self.listens.emit)
        self.heard.setAccessibleName(tr("What the meter shows"))
        self.keep, self.close_it = QPushButton(tr("Keep the nets")), QPushButton(tr("Close"))
        self.keep.clicked.connect(self.kept.emit)
        self.close_it.clicked.connect(self.hide)
        tools = QWidget()
        line = FlowLayout(tools)
        for widget in (self.field, self.unit, self.beeps, self.quiet, self.by_meter, self.keep, self.close_it,
                       self.heard):
            line.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        for label in (self.head, self.question, self.where):
            column.addWidget(label)
        column.addWidget(tools)
        column.addWidget(self.progress)
        column.addWidget(self.said)
        self.hide()

    def show_probing(self, board: Board, now: Probing, caution: str = "") -> None:
        """The next question; the keyboard goes where it is answered, if it was here. caution: about the unit."""
        on = theme.application().focusWidget()
        held = on is self or (on is not None and self.isAncestorOf(on))
        self.ask = now.ask
        self.question.setText(question_words(now))
        self.where.setText(where_words(board, now.ask))
        self.progress.setText(progress_words(now))
        said = "\n".join(filter(None, (caution, doubt_words(now))))
        self.said.setText(said)
        self.said.setVisible(bool(said))
        pair = now.ask is not None and bool(now.ask.other)
        for widget in (self.beeps, self.quiet):
            widget.setVisible(pair)
        for field in (self.field, self.unit):
            field.setVisible(now.ask is not None and not pair)
        self.field.clear()
        if now.ask is not None:
            self.field.setAccessibleName(tr("{one}, diode mode, red on ground, V", one=now.ask.one))
        self.keep.setEnabled(len(now.left) < len(now.unknown))
        if held:
            self.take_keyboard()

    def take_keyboard(self) -> None:
        """Where the question is answered."""
        (self if self.ask is None or self.ask.other or self.listening else self.field).setFocus()

    def show_listening(self, pedal: int, on: bool) -> None:
        """Whether the meter answers. pedal: the key that a foot switch sends, 0 for none."""
        self.listening, self.pedal = on, pedal
        self.by_meter.setText(tr("Stop listening") if on else tr("Listen to the meter"))
        self.heard.setText(tr("Space or the foot switch: no") if on else "")

    def show_heard(self, value: float) -> None:
        """What the meter shows now, in the unit of the question."""
        unit = "\N{GREEK CAPITAL LETTER OMEGA}" if self.ask is not None and self.ask.other else "V"
        shown = f"{value:.3f} {unit}" if isfinite(value) else "OL"
        self.heard.setText(tr("{shown} · Space or the foot switch: no", shown=shown))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        answer = {Qt.Key.Key_B: True, Qt.Key.Key_N: False}.get(Qt.Key(event.key()))
        if self.listening and not event.isAutoRepeat() and event.key() in (Qt.Key.Key_Space, self.pedal):
            self.tapped.emit()
        elif answer is not None and self.ask is not None and self.ask.other and not event.isAutoRepeat():
            self._answer(answer)
        else:
            super().keyPressEvent(event)

    def _answer(self, joined: bool) -> None:
        if self.ask is not None and self.ask.other:
            self.touched.emit(self.ask.one, self.ask.other, joined)

    def _typed(self) -> None:
        if self.ask is not None and not self.ask.other:
            self.read.emit(self.ask.one, self.field.text())
