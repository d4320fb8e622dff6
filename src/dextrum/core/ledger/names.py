"""What names of lots, places and units may look like."""

from __future__ import annotations

from dextrum.tongue import tr

LONGEST_NAME, LONGEST_WORDS = 40, 200


def plain_name(text: str, what: str, longest: int = LONGEST_NAME) -> None:
    """Raise ValueError for a name that is empty, long, or not on one line."""
    if not text.strip() or text != " ".join(text.split()) or len(text) > longest or not text.isprintable():
        raise ValueError(tr("{what} is {text!r}; expected one line of up to {longest} letters", what=what,
                            text=text[:30], longest=longest))


def plain_words(text: str, what: str, longest: int = LONGEST_WORDS) -> None:
    """The same, where it may be left out."""
    if text:
        plain_name(text, what, longest)
