"""What names of lots, places and units may look like."""

from __future__ import annotations

LONGEST_NAME, LONGEST_WORDS = 40, 200


def plain_name(text: str, what: str, longest: int = LONGEST_NAME) -> None:
    """Raise ValueError for a name that is empty, long, or not on one line."""
    if not text.strip() or text != " ".join(text.split()) or len(text) > longest or not text.isprintable():
        raise ValueError(f"{what} is {text[:30]!r}; expected one line of up to {longest} letters")


def plain_words(text: str, what: str, longest: int = LONGEST_WORDS) -> None:
    """The same, where it may be left out."""
    if text:
        plain_name(text, what, longest)
