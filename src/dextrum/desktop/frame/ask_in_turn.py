"""Several questions one after the other in the ask line; nothing is done before the last is answered."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer

from dextrum.errors import DextrumError
from dextrum.tongue import capital

if TYPE_CHECKING:
    from dextrum.desktop.frame.window import MainWindow
    from dextrum.store.jobs import JobStore

Taken = Callable[[str], str]
"""Takes what was typed or chosen; returns what is wrong with it, or nothing."""
Words = str | Callable[[], str]
"""A text, or what makes it when the question is asked: from the answers before it."""
ANSWERED = "answered."
"""Setting under which the answers to questions that were left are kept, before the name of the questions."""


@dataclass(frozen=True)
class Question:
    """words: what is asked; take: checks and keeps the answer; usual: what stands in the field; choices: (value, shown)
    to choose from in place of typing."""

    words: Words
    take: Taken
    usual: Words = ""
    choices: tuple[tuple[str, str], ...] = ()


def said(wrong: ValueError) -> str:
    """A message of the core as a sentence."""
    text = str(wrong)
    return f"{capital(text)}."


def ask_in_turn(window: MainWindow, questions: Sequence[Question], done: Callable[[], str], kept_as: str = "") -> None:
    """done: runs after the last answer, and says what is wrong then; the last question stays open for it. kept_as: a
    name under which answers are kept when the questions are left, or the power goes, and stand there the next time."""
    back, store = window.focusWidget(), window.session.store
    kept = answers_kept(store, kept_as)
    given: list[str] = []

    def ask(place: int) -> None:
        question = questions[place]
        before = kept[place] if place < len(kept) else None

        def answer(text: str, choice: str) -> str:
            told = choice if question.choices else text.strip()
            wrong = question.take(told)
            if not wrong and place + 1 == len(questions):
                wrong = done()
                if not wrong:
                    _keep(store, kept_as, [])
                return wrong
            if not wrong:
                given[place:] = [told]
                _keep(store, kept_as, [*given, *kept[place + 1:]])
                QTimer.singleShot(0, window, lambda: ask(place + 1))
            return wrong

        words = _text(question.words)
        if question.choices:
            window.ask.choose(words, answer, _first(question.choices, before), back)
        else:
            window.ask.ask(words, answer, _text(question.usual) if before is None else before, (), back)

    ask(0)


def answers_kept(store: JobStore, kept_as: str) -> list[str]:
    """Answers to questions that were left before the last; none where nothing was kept, or it can't be read."""
    if not kept_as:
        return []
    try:
        found = json.loads(store.setting(f"{ANSWERED}{kept_as}") or "[]")
    except (DextrumError, ValueError):
        return []
    return [str(one) for one in found] if isinstance(found, list) else []


def _keep(store: JobStore, kept_as: str, answers: list[str]) -> None:
    if kept_as:
        store.set_setting(f"{ANSWERED}{kept_as}", json.dumps(answers) if answers else "")


def _text(words: Words) -> str:
    return words if isinstance(words, str) else words()


def _first(choices: tuple[tuple[str, str], ...], value: str | None) -> tuple[tuple[str, str], ...]:
    """The choice that was taken before stands first, where it is still one."""
    return tuple(sorted(choices, key=lambda choice: choice[0] != value)) if value is not None else choices
