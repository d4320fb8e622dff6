"""Values are checked when they are made; a message names the value, and what was expected."""

from __future__ import annotations

STRICT = {"extra": "forbid"}


def require(value: float, low: float, high: float, what: str) -> None:
    """Raise ValueError unless low <= value <= high; written so that NaN fails too."""
    if not (low <= value <= high):
        raise ValueError(f"{what} is {value:g}; expected {low:g} to {high:g}")


LONGEST_TEXT = 4000


def short_text(*texts: str) -> None:
    """Raise ValueError for a text longer than any note is."""
    for text in texts:
        if len(text) > LONGEST_TEXT:
            raise ValueError(f"text of {len(text)} characters; expected at most {LONGEST_TEXT}")


def one_of(value: str, allowed: tuple[str, ...], what: str) -> None:
    """Raise ValueError unless the value is one of those allowed."""
    if value not in allowed:
        raise ValueError(f"{what} is {value!r}; expected one of {', '.join(allowed)}")
