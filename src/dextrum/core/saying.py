"""Sentences of papers that may be said in another language than the window's: English words with named gaps, filled by
whoever says them.

What makes a sentence is handed `say`; by itself it is said in the language of the window. Numbers are handed over as
numbers, so that the language can write them in its own way.
"""

from __future__ import annotations

from typing import Protocol

from dextrum.tongue import tr


class Say(Protocol):
    """A sentence with its gaps filled, in some language."""

    def __call__(self, text: str, /, **gaps: object) -> str: ...


plain: Say = tr
"""In the language of the window."""
