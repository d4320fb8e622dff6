"""Finding a command by what was typed: words in any order, begun or in the middle, or letters in their order."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache

from dextrum.app.command import Command
from dextrum.app.commands import COMMANDS

BEGINS, INSIDE, ELSEWHERE, LETTERS = 0, 1, 2, 100
"""How well a word fits: begins a word of the title, is inside the title, stands in what it does or is called beside,
or its letters come in order in the title. Smaller is better."""


def _in_order(letters: str, text: str) -> bool:
    rest = iter(text)
    return all(letter in rest for letter in letters)


@dataclass(frozen=True)
class _Sought:
    """What of a command is searched, folded: its title and the words of it, what it is also called, and every word that
    stands beside the title."""

    title: str
    of_title: tuple[str, ...]
    called: frozenset[str]
    beside: tuple[str, ...]


@cache
def _sought(command: Command) -> _Sought:
    """Folded once: each letter typed asks all commands."""
    title = command.title.casefold()
    return _Sought(title, tuple(title.replace("-", " ").split()), frozenset(command.words.casefold().split()),
                   tuple(f"{command.words} {command.what} {command.shortcut}".casefold().split()))


def _fit_of_word(word: str, sought: _Sought) -> int | None:
    if any(part.startswith(word) for part in sought.of_title):
        return BEGINS
    if any(part.startswith(word) for part in sought.beside):
        return INSIDE if word in sought.called else ELSEWHERE
    if word in sought.title:
        return INSIDE
    if len(word) > 1 and _in_order(word, sought.title):
        return LETTERS
    return None


def fit(text: str, command: Command) -> int | None:
    """How well a command fits what was typed, 0 best; None where a word fits nowhere."""
    sought = _sought(command)
    fits = [_fit_of_word(word, sought) for word in text.casefold().split()]
    if any(one is None for one in fits):
        return None
    return sum(one for one in fits if one is not None)


def matching(text: str) -> tuple[Command, ...]:
    """Commands that fit, best first, in the order of work where they fit alike. Those that fit by letters only are left
    out where any fits by words."""
    found = [(how_well, command) for command in COMMANDS
             if command.id != "palette" and (how_well := fit(text, command)) is not None]
    by_words = [one for one in found if one[0] < LETTERS]
    return tuple(command for _, command in sorted(by_words or found, key=lambda one: one[0]))
