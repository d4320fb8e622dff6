"""The language that the program speaks, and those that papers for an owner are written in.

A sentence stands in English where it is needed, and is its own key: `tr("Take {part} off", part=name)`. The words of
another language ship in `data/words/CODE.json`: English, and what is said for it, with the same gaps. What a file
does not have stays in English, such as the words of a shop's own pack.

A process speaks one language from its beginning to its end, so that a constant of a module can be a sentence; the
window that changes it opens anew. Every layer may import this module; it imports none and knows no toolkit.
"""

from __future__ import annotations

import json
import os
import string
import sys
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from functools import cache
from importlib.resources import files
from typing import Any

LANGUAGES = {"en": "English", "de": "Deutsch"}
ENGLISH = "en"
SPOKEN = "DEXTRUM_LANGUAGE"
"""The variable of the environment by which a process, and those that it begins, knows its language."""
MOST_BYTES = 2_000_000


class _Numbers(string.Formatter):
    """Fills gaps; numbers with a decimal mark of the language's own."""

    def __init__(self, decimal: str) -> None:
        super().__init__()
        self.decimal = decimal

    def format_field(self, value: object, format_spec: str) -> str:
        said = str(super().format_field(value, format_spec))
        return said.replace(".", self.decimal) if isinstance(value, float) else said


def _form(said: str | list[str], gaps: dict[str, object]) -> str:
    """The form of a sentence for this many."""
    if isinstance(said, str):
        return said
    number = gaps.get("count", next((gap for gap in gaps.values() if isinstance(gap, int)), 0))
    return said[0 if number == 1 else 1]


@dataclass(frozen=True)
class Tongue:
    """language: one of LANGUAGES. words: what is said for an English sentence; decimal: its decimal mark on paper;
    back: the English for what the program itself says in its own language, where that is another one."""

    language: str = ENGLISH
    words: dict[str, str | list[str]] = field(default_factory=dict, hash=False)
    decimal: str = "."
    back: dict[str, str] = field(default_factory=dict, hash=False)

    def say(self, text: str, /, **gaps: object) -> str:
        """A sentence in this language, its gaps filled; in English where the language has no words for it."""
        plain = self.back.get(text, text)
        said = _form(self.words.get(plain, plain), gaps)
        return _Numbers(self.decimal).format(said, **gaps) if gaps else said


@cache
def words_of(language: str) -> tuple[dict[str, str | list[str]], str]:
    """What is said for each English sentence, and the decimal mark; nothing for English, for what is not here, and
    where a shipped file is damaged: then it is said on standard error, and all is said in English."""
    if language == ENGLISH or language not in LANGUAGES:
        return {}, "."
    try:
        kept = json.loads((files("dextrum") / "data" / "words" / f"{language}.json").read_bytes()[:MOST_BYTES])
        return {k: v for room in kept["words"].values() for k, v in room.items()}, str(kept["decimal"])
    except (ValueError, KeyError, AttributeError, OSError) as problem:
        print(f"The words of {LANGUAGES[language]} can't be read ({problem}): all is said in English. "
              "Install the program again.", file=sys.stderr)
        return {}, "."


@cache
def tongue(language: str) -> Tongue:
    """English for a language that is not here."""
    here = spoken()
    back = {} if here == language else {said: text for text, said in words_of(here)[0].items() if isinstance(said, str)}
    if language == ENGLISH or language not in LANGUAGES:
        return Tongue(back=back)
    words, decimal = words_of(language)
    return Tongue(language, words, decimal, back)


def spoken() -> str:
    """The language of this process."""
    wanted = os.environ.get(SPOKEN, ENGLISH)
    return wanted if wanted in LANGUAGES else ENGLISH


_WORDS: dict[str, str | list[str]] = {}


def speak(language: str) -> None:
    """Speak it from now on, and in every process begun here; said before a module with sentences is imported."""
    _WORDS.clear()
    _WORDS.update(words_of(language)[0])
    os.environ[SPOKEN] = language if language in LANGUAGES else ENGLISH


def tr(text: str, /, **gaps: object) -> str:
    """A sentence in the language of this process, its gaps filled as str.format fills them. Where a language has two
    forms for it, for one and for more, the gap `count` decides, or else the first that is a whole number."""
    said = _form(_WORDS.get(text, text), gaps)
    return said.format(**gaps) if gaps else said


def english(text: str) -> str:
    """The English for words that the program says in its language; what it does not know is left as it is."""
    return tongue(ENGLISH).back.get(text, text)


def capital(sentence: str) -> str:
    """With a capital at its beginning."""
    return sentence[:1].upper() + sentence[1:]


def in_a_row(parts: Iterable[str]) -> str:
    """Parts one after another, each with one full stop before the next: 'Replace U1. Wear the strap. 48 min'."""
    said = [part for part in parts if part]
    ended = [part if part[-1] in ".!?:…" else f"{part}." for part in said[:-1]]
    return " ".join((*ended, *said[-1:]))


def within(sentence: str) -> str:
    """A sentence as it stands after other words of one: English goes on in small letters, German nouns do not."""
    return sentence[:1].lower() + sentence[1:] if spoken() == ENGLISH else sentence


WORD_FIELDS = frozenset({"words", "purpose", "meaning", "head", "caution", "off", "place", "why", "watch", "title",
                         "school"})
"""Fields of a pack, a recipe or a circuit template that are sentences for people."""


def in_words_of_here(data: Any, say: Callable[[str], str] = tr) -> Any:
    """What a shipped file says, in the language of this process: English in the file, German in the window. Words that
    the program does not know stay as they are. data: as read from JSON or TOML. say=english: back, before writing."""
    if spoken() == ENGLISH:
        return data
    if isinstance(data, dict):
        return {key: say(value) if key in WORD_FIELDS and isinstance(value, str) else in_words_of_here(value, say)
                for key, value in data.items()}
    return [in_words_of_here(value, say) for value in data] if isinstance(data, list) else data


if os.environ.get(SPOKEN, ENGLISH) != ENGLISH:
    speak(spoken())
