"""The walk, seen from an arm's length: which point is next in large type, what is heard, what was recorded last."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QFont, QKeyEvent
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QSizePolicy, QVBoxLayout

from dextrum.core.capture.walk import Tap
from dextrum.desktop.frame.value_field import ValueField
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.tongue import tr

TAPS = {Qt.Key.Key_Space: Tap.REPEAT, Qt.Key.Key_S: Tap.SKIP, Qt.Key.Key_B: Tap.BACK, Qt.Key.Key_X: Tap.STRIKE,
        Qt.Key.Key_A: Tap.OTHER}
PAD_TAPS = {Qt.Key.Key_Minus: Tap.BACK, Qt.Key.Key_Asterisk: Tap.SKIP, Qt.Key.Key_Slash: Tap.STRIKE}
"""Of a number pad, for one hand; its plus is OL."""
KEYS = tr("Space again · S skip · B back · X strike out · Esc ends")
PAD_KEYS = tr("On the number pad: Enter records · + OL · − back · * skip · / strikes out")


class CapturePanel(QFrame):
    """Signals: tapped (Tap), typed (text), left, pedal_chosen (key). pedal: the key that a foot switch sends, 0 for
    none; it repeats, and answers 'record it here'."""

    tapped = Signal(object)
    typed = Signal(str)
    left = Signal()
    pedal_chosen = Signal(int)

    def __init__(self) -> None:
        super().__init__()
        self.pedal = 0
        self.choosing = False
        self.setObjectName("card")
        self.setAccessibleName(tr("Walk over the points"))
        both = QVBoxLayout(self)
        both.setContentsMargins(16, 8, 16, 8)
        both.setSpacing(2)
        row = QHBoxLayout()
        both.addLayout(row)
        self.point, self.heard, self.last = QLabel(), QLabel(), QLabel()
        self.words, self.count, self.keys = QLabel(), QLabel(), QLabel(KEYS)
        self.point.setAccessibleName(tr("Next point"))
        self.heard.setAccessibleName(tr("What the meter shows"))
        for label in (self.count, self.keys, self.last):
            label.setObjectName("cardquiet")
        self.words.setObjectName("cardaccent")
        for label in (self.words, self.keys, self.last):
            label.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
            label.setWordWrap(True)
        self.field = ValueField()
        self.field.setAccessibleName(tr("Value of the next point"))
        self.field.setPlaceholderText(tr("or type"))
        self.field.setFixedWidth(look.px(92))
        self.field.returnPressed.connect(self._enter)
        self.field.textChanged.connect(self._echo)
        self.field.installEventFilter(self)
        row.addWidget(self.point)
        row.addSpacing(look.px(24))
        row.addWidget(self.heard)
        row.addStretch(1)
        row.addSpacing(look.px(12))
        row.addWidget(self.count)
        row.addWidget(self.field)
        for label in (self.words, self.last, self.keys):
            both.addWidget(label)
        self.hide()

    def begin(self, typed: bool = False) -> None:
        """typed: no meter speaks, so what is typed is as large as the point."""
        for label, size in ((self.point, 40), (self.heard, 40 if typed else 28)):
            label.setFont(look.font(size, QFont.Weight.DemiBold))
            label.setStyleSheet(f"font-size: {look.px(size)}px; font-weight: 600")
        self.words.setStyleSheet(f"font-size: {look.px(17)}px; font-weight: 600")
        self.words.setMinimumHeight(look.px(24))
        self.last.setMinimumHeight(look.px(18))
        self.keys.setVisible(look.scale <= LARGE_TEXT)
        self.field.setFixedWidth(look.px(92))
        self.field.clear()
        self.heard.clear()
        self.last.clear()
        self.show()
        self.field.setFocus()

    def show_next(self, point: str, words: str, left: int, keys: str = "") -> None:
        """keys: those that answer a question, in place of the usual ones."""
        for label, text in ((self.point, point), (self.words, words), (self.count, tr("{left} left",
                                                                                      left=left) if left else ""),
                            (self.keys, keys or KEYS)):
            if label.text() != text:
                label.setText(text)
        self.keys.setVisible(bool(keys) or look.scale <= LARGE_TEXT)

    def show_heard(self, words: str) -> None:
        if self.heard.text() != words:
            self.heard.setText(words)

    def show_last(self, words: str) -> None:
        self.last.setText(words)

    def _enter(self) -> None:
        text = self.field.text().strip()
        if text:
            self.typed.emit(text)

    def _echo(self, text: str) -> None:
        """What is being typed, as large as what a meter shows: the eyes are elsewhere."""
        if text:
            self.heard.setText(text)

    def show_typed(self, words: str) -> None:
        """What was recorded, until the next is typed."""
        self.heard.setText(words)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if watched is self.field and isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            if self.choosing:
                self.choosing = False
                self.pedal_chosen.emit(0 if event.key() == Qt.Key.Key_Escape else event.key())
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.left.emit()
                return True
            if self.pedal and event.key() == self.pedal:
                if self.field.text().strip():
                    self._enter()  # with something typed the foot is the Enter key
                else:
                    self.tapped.emit(Tap.REPEAT)
                return True
            if event.key() == Qt.Key.Key_Plus and not self.field.text():
                self.typed.emit("+")
                return True
            plain = event.modifiers() in (Qt.KeyboardModifier.NoModifier, Qt.KeyboardModifier.KeypadModifier)
            tap = (TAPS | PAD_TAPS).get(Qt.Key(event.key())) if plain and not self.field.text() else None
            if tap is not None:
                self.tapped.emit(tap)
                return True
        return super().eventFilter(watched, event)
