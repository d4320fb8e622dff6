"""A reading as it is shown: volts with three digits, ohms and farads as meters do, OL."""

from __future__ import annotations

from dextrum.core.board.kinds import Method


def value_words(value: float, method: Method) -> str:
    """'0.512 V', '0.30 Ω', '234 Ω', '21.8 kΩ', '0.05 nF', '220 nF', '4.72 µF', 'OL'."""
    if value == float("inf"):
        return "OL"
    if method is Method.CAPACITANCE:
        return _three_digits(value, "nF") if value < 999.5 else _three_digits(value / 1e3, "µF")
    return f"{value:.3f} V" if method.is_diode else _ohm_words(value)


def _ohm_words(ohms: float) -> str:
    if ohms < 99.995:
        return f"{ohms:.2f} Ω"
    if ohms < 999.5:
        return f"{ohms:.0f} Ω"
    return _three_digits(ohms / 1e3, "kΩ") if ohms < 999.5e3 else _three_digits(ohms / 1e6, "MΩ")


def _three_digits(number: float, unit: str) -> str:
    digits = 2 if number < 9.995 else 1 if number < 99.95 else 0
    return f"{number:.{digits}f} {unit}"
