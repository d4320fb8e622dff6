"""Sentences of papers that may be said in another language: English words with named gaps, filled by whoever says them.

What makes a sentence is handed `say`; by itself it is said in English. Numbers are handed over as numbers, so that the
language can write them in its own way.
"""

from __future__ import annotations

from typing import Protocol


class Say(Protocol):
    """A sentence with its gaps filled, in some language."""

    def __call__(self, text: str, /, **gaps: object) -> str: ...


def plain(text: str, /, **gaps: object) -> str:
    """In English, as it is written in the program."""
    return text.format(**gaps) if gaps else text
