"""Numbers as instruments say them. What isn't plainly a reading is refused; nothing is guessed."""

from __future__ import annotations

import re

from dextrum.errors import InstrumentError
from dextrum.instruments.protocols import Quantity
from dextrum.tongue import tr

OVERLOAD, NOT_A_NUMBER, SAME = 9.9e37, 9.91e37, 1e-4
"""SCPI-99, 7.2.1.4 and 7.2.1.5: positive infinity is sent as 9.9E37, negative as -9.9E37, and not a number as 9.91E37;
so near are they taken as sent. Only the first is what a meter shows as OL."""
_NUMBER = re.compile(r"([+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?)\s*([A-Za-zΩµ]*)")
_OPEN = frozenset({"OL", "O.L", ".OL", "OVLD", "OPEN"})
_PREFIXES = {"m": 1e-3, "u": 1e-6, "µ": 1e-6, "k": 1e3, "M": 1e6}
_UNITS = {"V": "V", "A": "A", "OHM": "ohm", "Ω": "ohm", "VDC": "V", "ADC": "A"}


def parse_value(text: str, quantity: Quantity) -> float:
    """One value in the quantity's unit, inf for OL.

    Raises InstrumentError: 'babbling' for what is no reading, 'mode' for another unit, 'range' outside what it shows.
    """
    line = text.strip()
    if line.upper() in _OPEN:
        return float("inf")
    found = _NUMBER.fullmatch(line)
    if found is None:
        raise InstrumentError("babbling", tr("'{line}' is not a reading.", line=line[:24]))
    value, unit = float(found.group(1)), found.group(2)
    if abs(value / OVERLOAD - 1.0) < SAME:
        return float("inf")
    if abs(abs(value) / OVERLOAD - 1.0) < SAME or abs(abs(value) / NOT_A_NUMBER - 1.0) < SAME:
        raise InstrumentError("range", tr("It has no reading: it sends 'not a number' or an overload below zero."),
                              tr("Are the leads the right way round?"))
    if unit:
        value *= _scale(unit, quantity)
    if not quantity.low <= value <= quantity.high:
        raise InstrumentError("range", tr("{value:g} {unit} is out of its range.", value=value, unit=quantity.unit))
    return max(value, 0.0) + 0.0 if value > -quantity.zero_within else value


def _scale(unit: str, quantity: Quantity) -> float:
    known = _UNITS.get(unit.upper() if unit != "Ω" else unit)
    prefix = 1.0
    if known is None and unit[0] in _PREFIXES:
        prefix = _PREFIXES[unit[0]]
        rest = unit[1:]
        known = _UNITS.get(rest.upper() if rest != "Ω" else rest)
    if known is None:
        raise InstrumentError("babbling", tr("'{unit}' is not a unit.", unit=unit[:12]))
    if known != quantity.unit:
        raise InstrumentError("mode", tr("It shows {known}, and {unit} is asked for: it is in another mode.",
                                         known=known, unit=quantity.unit),
                              tr("Set it to the right mode."))
    return prefix
