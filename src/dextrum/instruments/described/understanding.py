"""One answer of a described meter as a number, OL, or a refusal in words; nothing is guessed."""

from __future__ import annotations

import math
import re
from functools import cache

from dextrum.errors import InstrumentError
from dextrum.instruments.described.description import MeterDescription, Mode
from dextrum.instruments.described.wire import LONGEST_ROW, compiled
from dextrum.instruments.parse import NOT_A_NUMBER, OVERLOAD, SAME
from dextrum.tongue import tr

SCALES = {"": 1.0, "m": 1e-3, "u": 1e-6, "\u00b5": 1e-6, "\u03bc": 1e-6, "n": 1e-9, "p": 1e-12, "k": 1e3, "M": 1e6}
BASES = {"v": "V", "vdc": "V", "dcv": "V", "volt": "V", "volts": "V", "a": "A", "adc": "A", "dca": "A", "amp": "A",
         "ohm": "ohm", "ohms": "ohm", "\u03c9": "ohm", "r": "ohm", "f": "nF", "farad": "nF"}
"""By their small letters; the small letter of both signs of the ohm is an omega."""
OF_MODE = {"V": ("V", 1.0), "mV": ("V", 1e-3), "ohm": ("ohm", 1.0), "kohm": ("ohm", 1e3), "A": ("A", 1.0),
           "mA": ("A", 1e-3), "F": ("nF", 1e9), "uF": ("nF", 1e3), "nF": ("nF", 1.0)}
IN_BASE = {"nF": 1e9}
"""How many of a base unit are in the unit without a prefix, where that is another."""


@cache
def _pattern(text: str) -> re.Pattern[str]:
    return compiled(text, "pattern")


def unit_of(text: str) -> tuple[str, float] | None:
    """Base unit and factor of a unit as it is sent; None for what is none. 'M' is mega and 'm' milli."""
    plain = text.strip()
    for length in (0, 1):
        base = BASES.get(plain[length:].casefold())
        if base is not None and plain[:length] in SCALES:
            return base, SCALES[plain[:length]] * IN_BASE.get(base, 1.0)
    return None


def finite_number(digits: str, decimal: str) -> float:
    """A number as it was sent, with its decimal mark. Raises InstrumentError for what is none, or not finite."""
    plain = digits.replace(" ", "").replace("\u2212", "-")
    if decimal == ",":
        plain = plain.replace(",", ".")
    try:
        number = float(plain)
    except ValueError:
        number = math.nan
    if not math.isfinite(number):
        raise InstrumentError("babbling", tr("'{digits}' is not a number.", digits=digits[:24]))
    return number


def understood(description: MeterDescription, mode: Mode, line: str) -> float:
    """The value of an answer in the unit of the mode's quantity, inf for OL.

    Raises InstrumentError: 'babbling' for what is no reading, 'mode' for another unit or another mode than asked,
    'range' beyond what it can show, or a reading the meter itself calls invalid.
    """
    text, value = line.strip(), description.value
    if len(text) > LONGEST_ROW:
        raise InstrumentError("babbling", tr("'{text}' is not a reading.", text=text[:24]))
    for one in value.invalid:
        if _pattern(one).fullmatch(text):
            raise InstrumentError("range", tr("It has no reading: it sends '{text}'.",
                                              text=text[:24]), tr("Hold the probe still."))
    for one in value.overload:
        found = _pattern(one).fullmatch(text)
        if found is not None:
            _mode_fits(mode, found)
            unit = unit_of(_group(found, "unit"))
            if unit is not None and unit[0] != mode.measured.unit:
                raise _other_mode(unit[0], mode)
            return float("inf")
    found = _pattern(value.pattern).fullmatch(text)
    if found is None:
        raise InstrumentError("babbling", tr("'{text}' is not a reading.", text=text[:24]))
    _mode_fits(mode, found)
    return _number(mode, _group(found, "value"), _group(found, "unit"), value.decimal)


def _number(mode: Mode, digits: str, sent: str, decimal: str) -> float:
    number = finite_number(digits, decimal)
    if abs(number / OVERLOAD - 1.0) < SAME:
        return float("inf")
    if abs(abs(number) / OVERLOAD - 1.0) < SAME or abs(abs(number) / NOT_A_NUMBER - 1.0) < SAME:
        raise InstrumentError("range", tr("It has no reading: it sends 'not a number' or an overload below zero."),
                              tr("Are the leads the right way round?"))
    if mode.overload_from is not None and number >= mode.overload_from:
        return float("inf")
    base, scale = OF_MODE[mode.unit]
    if sent:
        unit = unit_of(sent)
        if unit is None:
            raise InstrumentError("babbling", tr("'{sent}' is not a unit.", sent=sent[:12]))
        base, scale = unit
    if base != mode.measured.unit:
        raise _other_mode(base, mode)
    quantity = mode.measured
    found = number * scale * mode.factor
    if not quantity.low <= found <= quantity.high:
        raise InstrumentError("range", tr("{found:g} {unit} is out of its range.", found=found, unit=quantity.unit))
    return max(found, 0.0) + 0.0 if found > -quantity.zero_within else found


def _group(found: re.Match[str], name: str) -> str:
    return (found.groupdict().get(name) or "").strip()


def _mode_fits(mode: Mode, found: re.Match[str]) -> None:
    """Where the line says its mode, it must be the one asked for."""
    said = _group(found, "mode")
    if said and mode.shows and not any(_pattern(one).fullmatch(said) for one in mode.shows):
        raise InstrumentError("mode", tr("It is set to {said}, not to {quantity}.", said=said[:12],
                                         quantity=mode.quantity),
                              tr("Turn it to {quantity}.", quantity=mode.quantity))


def _other_mode(unit: str, mode: Mode) -> InstrumentError:
    return InstrumentError("mode", tr("It shows {unit}, and {unit2} is asked for: it is in another mode.", unit=unit,
                                      unit2=mode.measured.unit),
                           tr("Set it to the right mode."))
