"""A reading as it is shown: volts with three digits, ohms as meters do, OL."""

from __future__ import annotations

from dextrum.core.board.kinds import Method


def value_words(value: float, method: Method) -> str:
    if value == float("inf"):
        return "OL"
    if method.is_diode:
        return f"{value:.3f} V"
    return f"{value:.2f} Ω" if value < 100 else f"{value:,.0f} Ω".replace(",", " ")
