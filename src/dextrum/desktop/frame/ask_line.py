"""A line above the view that asks for a text, and perhaps a choice; nothing modal in the way."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from dextrum.desktop.frame.reading_order import chain
from dextrum.desktop.theme import LARGE_TEXT, look
from dextrum.errors import DextrumError
from dextrum.tongue import tr

Answer = Callable[[str, str], str]
"""Takes text and choice; returns what is wrong, or nothing when it is done."""


LONG_WORDS = 0.4
"""Share of the line that the words of a question may take; longer ones stand above it."""


class AskLine(QFrame):
    """Enter answers, Esc leaves, and so do two buttons. What was typed stays until the answer is good."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("palette")
        self.words = QLabel()
        self.words.setObjectName("section")
        self.field = QLineEdit()
        self.choice = QComboBox()
        self.trouble = QLabel()
        self.trouble.setObjectName("problem")
        self.trouble.setWordWrap(True)
        self.trouble.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Minimum)
        both = self.both = QVBoxLayout(self)
        both.setContentsMargins(12, 6, 12, 6)
        both.setSpacing(2)
        row = self.row = QHBoxLayout()
        self.take, self.leave_it = QPushButton(tr("Take it · Enter")), QPushButton(tr("Leave · Esc"))
        for button, act in ((self.take, self._answer), (self.leave_it, self._leave_unanswered)):
            button.setObjectName("small")
            # A click leaves the keyboard where it is.
            button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            button.clicked.connect(act)
        for widget in (self.words, self.field, self.choice, self.take, self.leave_it):
            row.addWidget(widget, 1 if widget is self.field else 0)
        both.addLayout(row)
        both.addWidget(self.trouble)
        self.trouble.hide()
        self.field.returnPressed.connect(self._answer)
        self._on_answer: Answer = lambda _text, _choice: ""
        self._back_to: QWidget | None = None
        self.hide()

    def ask(self, words: str, on_answer: Answer, text: str = "", choices: tuple[tuple[str, str], ...] = (),
            back_to: QWidget | None = None) -> None:
        """choices: (value, shown)."""
        large = look.scale > LARGE_TEXT
        self.words.setText(words)
        over = self.parentWidget()
        room = self.width() if over is None else over.width()
        long = large or self.words.fontMetrics().horizontalAdvance(words) > LONG_WORDS * room
        self.words.setWordWrap(long)
        if long:
            self.both.insertWidget(0, self.words)
        else:
            self.row.insertWidget(0, self.words)
        # In large text the choice may be cut short on the line; its list shows it whole.
        self.choice.setMinimumContentsLength(12 if large else 0)
        self.choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon if large
                                        else QComboBox.SizeAdjustPolicy.AdjustToContents)
        self.field.setAccessibleName(words)
        self.field.setText(text)
        self.field.selectAll()
        self.trouble.clear()
        self.trouble.hide()
        self.choice.clear()
        for value, shown in choices:
            self.choice.addItem(shown, value)
        self.choice.setVisible(bool(choices))
        self._on_answer = on_answer
        self._back_to = back_to
        self.field.show()
        self.choice.setAccessibleName(words)
        self.show()
        # Whoever tabs on at once finds the choice: the window's whole order follows a moment later.
        chain((self.field, self.choice, self.take, self.leave_it))
        self.field.setFocus()

    def choose(self, words: str, on_answer: Answer, choices: tuple[tuple[str, str], ...],
               back_to: QWidget | None = None) -> None:
        """Ask for one of some choices only: the list has the keyboard, Enter takes what it shows."""
        self.ask(words, on_answer, "", choices, back_to)
        self.field.hide()
        self.choice.setFocus()

    def _answer(self) -> None:
        if not self.isVisible():
            return  # the field has answered already, and passes the key on
        value = self.choice.currentData()
        try:
            wrong = self._on_answer(self.field.text(), "" if value is None else str(value))
        except DextrumError as problem:
            wrong = str(problem)
        self.trouble.setText(wrong)
        self.trouble.setVisible(bool(wrong))
        if not wrong:
            # What was answered may have gone elsewhere by now. Once it is hidden, the next in the order of tabs has the
            # keyboard, whoever had it before.
            here = any(one.hasFocus() for one in (self.field, self.choice, self.take))
            self.hide()
            if self._back_to is not None and here:
                self._back_to.setFocus()

    def _leave_unanswered(self) -> None:
        self.hide()
        if self._back_to is not None:
            self._back_to.setFocus()

    def leave(self) -> None:
        """Take the question away, unanswered: it was another job's."""
        self._on_answer = lambda _text, _choice: ""
        self.hide()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self._leave_unanswered()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            # The field has answered for itself and passes the key on; once is enough.
            if self.leave_it.hasFocus():
                self._leave_unanswered()
            elif not self.field.hasFocus():
                self._answer()
        else:
            super().keyPressEvent(event)
