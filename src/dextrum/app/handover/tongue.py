"""The languages that papers for an owner are written in: English, and those whose words ship in `data/words`.

A file of words is TOML: the English sentence, as it stands in the program or in a shipped pack, and what is said for
it, with the same gaps. What no file has stays as it is, such as the words of a shop's own pack.
"""

from __future__ import annotations

import string
import tomllib
from dataclasses import dataclass, field
from functools import cache

from dextrum.app.places import shipped
from dextrum.errors import ImportRefusedError
from dextrum.store.files import read_bounded

LANGUAGES = {"en": "English", "de": "Deutsch"}
ENGLISH = "en"
MOST_BYTES = 1_000_000


class _Numbers(string.Formatter):
    """Fills gaps; numbers with a decimal mark of the language's own."""

    def __init__(self, decimal: str) -> None:
        super().__init__()
        self.decimal = decimal

    def format_field(self, value: object, format_spec: str) -> str:
        said = str(super().format_field(value, format_spec))
        return said.replace(".", self.decimal) if isinstance(value, float) else said


@dataclass(frozen=True)
class Tongue:
    """language: one of LANGUAGES. words: what is said for an English sentence; decimal: its decimal mark."""

    language: str = ENGLISH
    words: dict[str, str] = field(default_factory=dict, hash=False)
    decimal: str = "."

    def say(self, text: str, /, **gaps: object) -> str:
        """A sentence in this language, its gaps filled; in English where the language has no words for it."""
        said = self.words.get(text, text)
        return _Numbers(self.decimal).format(said, **gaps) if gaps else said


@cache
def tongue(language: str) -> Tongue:
    """English for a language that is not here. Raises ImportRefusedError where a shipped file is damaged."""
    if language == ENGLISH or language not in LANGUAGES:
        return Tongue()
    place = shipped() / "words" / f"{language}.toml"
    try:
        kept = tomllib.loads(read_bounded(place, MOST_BYTES).decode("utf-8"))
        return Tongue(language, {str(k): str(v) for k, v in kept["words"].items()}, str(kept["decimal"]))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, KeyError, AttributeError) as problem:
        raise ImportRefusedError(f"The words of {LANGUAGES[language]} can't be read ({problem}).",
                                 "Papers can be written in English.", "Install the program again.") from problem
