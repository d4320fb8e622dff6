"""Several questions one after the other in the ask line; nothing is done before the last is answered."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow

Taken = Callable[[str], str]
"""Takes what was typed or chosen; returns what is wrong with it, or nothing."""


@dataclass(frozen=True)
class Question:
    """words: what is asked; take: checks and keeps the answer; usual: what stands in the field; choices: (value, shown)
    to choose from in place of typing."""

    words: str
    take: Taken
    usual: str = ""
    choices: tuple[tuple[str, str], ...] = ()


def said(wrong: ValueError) -> str:
    """A message of the core as a sentence."""
    text = str(wrong)
    return f"{text[:1].upper()}{text[1:]}."


def ask_in_turn(window: MainWindow, questions: Sequence[Question], done: Callable[[], str]) -> None:
    """done: runs after the last answer, and says what is wrong then; the last question stays open for it."""
    back = window.focusWidget()

    def ask(place: int) -> None:
        question = questions[place]

        def answer(text: str, choice: str) -> str:
            wrong = question.take(choice if question.choices else text.strip())
            if wrong:
                return wrong
            if place + 1 == len(questions):
                return done()
            QTimer.singleShot(0, window, lambda: ask(place + 1))
            return ""

        if question.choices:
            window.ask.choose(question.words, answer, question.choices, back)
        else:
            window.ask.ask(question.words, answer, question.usual, (), back)

    ask(0)
