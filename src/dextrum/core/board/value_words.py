"""A reading as it is shown: volts with three digits, ohms as meters do, OL."""

from __future__ import annotations

from dextrum.core.board.kinds import Method


def value_words(value: float, method: Method) -> str:
    """'0.512 V', '0.30 Ω', '234 Ω', '21.8 kΩ', 'OL'."""
    if value == float("inf"):
        return "OL"
    return f"{value:.3f} V" if method.is_diode else _ohm_words(value)


def _ohm_words(ohms: float) -> str:
    if ohms < 99.995:
        return f"{ohms:.2f} Ω"
    if ohms < 999.5:
        return f"{ohms:.0f} Ω"
    number, unit = (ohms / 1e3, "kΩ") if ohms < 999.5e3 else (ohms / 1e6, "MΩ")
    digits = 2 if number < 9.995 else 1 if number < 99.95 else 0
    return f"{number:.{digits}f} {unit}"
