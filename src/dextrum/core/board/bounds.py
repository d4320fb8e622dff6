"""Values are checked when they are made; a message names the value, and what was expected."""

from __future__ import annotations

STRICT = {"extra": "forbid"}


def require(value: float, low: float, high: float, what: str) -> None:
    """Raise ValueError unless low <= value <= high; written so that NaN fails too."""
    if not (low <= value <= high):
        raise ValueError(f"{what} is {value:g}; expected {low:g} to {high:g}")
