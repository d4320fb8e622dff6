"""What a technician types, read strictly and told in words when it can't be."""

from __future__ import annotations

import math
import re

from dextrum.core.board import Method
from dextrum.core.entries.readings import MOST_NANOFARADS
from dextrum.core.trail import MOST_OHMS, MOST_VOLTS_DIODE, PointReading
from dextrum.errors import EntryRefusedError
from dextrum.tongue import tr

_NUMBER = re.compile(r"[+]?([0-9]+([.,][0-9]*)?|[.,][0-9]+)")
_SCALE = {"": 1.0, "m": 1e-3, "k": 1e3, "M": 1e6}
_NANOFARADS = {"": 1.0, "p": 1e-3, "n": 1.0, "u": 1e3, "µ": 1e3, "m": 1e6}
OPEN_WORDS = frozenset({"o", "ol", "o.l", "0l", "+"})
"""A lone + is the key of a number pad that means OL."""


LEAST_MILLIVOLTS = 100.0
"""A whole number from here on, in diode mode, is what a meter shows that counts in millivolts."""


class ReadAsMillivoltsError(EntryRefusedError):
    """It was typed in millivolts. instead: the same in volts, to be put into the field."""

    def __init__(self, happened: str, kept: str, next_step: str, instead: str) -> None:
        super().__init__(happened, kept, next_step)
        self.instead = instead


def _refuse(text: str, wanted: str) -> EntryRefusedError:
    shown = text.strip()[:20]
    return EntryRefusedError(tr("{shown!r} is not {wanted}.", shown=shown,
                                wanted=wanted), tr("Nothing was recorded."), "")


def parse_volts_and_amps(text: str) -> tuple[float, float]:
    """'0.8 V 1.2 A' of what was put on a rail. Raises EntryRefusedError."""
    parts = text.replace(";", " ").replace("V", " ").replace("v", " ").replace("A", " ").replace("a", " ").split()
    if len(parts) != 2:
        raise _refuse(text, tr("volts and amps, such as 0.8 V 1.2 A"))
    return parse_number(parts[0], 0.001, 30.0, "V"), parse_number(parts[1], 0.001, 20.0, "A")


def volts_and_amps(text: str) -> tuple[str, str] | None:
    """The two figures of '5.1 0.36' or '5.1V 0.36A'; None where there are not two."""
    figures = re.split(r"[\s;/]+", re.sub(r"(?i)[va]\b", " ", text).strip())
    return (figures[0], figures[1]) if len(figures) == 2 else None


def parse_number(text: str, low: float, high: float, unit: str) -> float:
    """A plain number with a point or a comma, optionally with its unit. Raises EntryRefusedError."""
    stripped = text.strip()
    if stripped.lower().endswith(unit.lower()):
        stripped = stripped[: len(stripped) - len(unit)].strip()
    if not _NUMBER.fullmatch(stripped):
        raise _refuse(text, tr("a number of {unit}", unit=unit))
    value = float(stripped.replace(",", "."))
    if not (low <= value <= high):
        raise EntryRefusedError(tr("{value:g} {unit} is outside {low:g} to {high:g} {unit}.", value=value, unit=unit,
                                   low=low, high=high),
                                tr("Nothing was recorded."), "")
    return value


def parse_reading(text: str, point: str, method: Method) -> PointReading:
    """'0.512', '512m', 'o' or 'OL' for open, a trailing 'w' for a value that wavers.

    Ohms may have k or M; capacitance is in nF, or has p, n or u, with F or without. Raises EntryRefusedError with what
    was expected.
    """
    stripped = text.strip()
    if stripped.lower() in OPEN_WORDS:
        return PointReading(point, math.inf)
    wavering = stripped.lower().endswith("w")
    if wavering:
        stripped = stripped[:-1].strip()
    if method is Method.CAPACITANCE:
        return _capacitance(text, stripped, point, wavering)
    prefix = stripped[-1:] if stripped[-1:] in ("m", "k", "M") else ""
    number = stripped[: len(stripped) - len(prefix)].strip() if prefix else stripped
    if not _NUMBER.fullmatch(number):
        wanted = tr("a voltage like 0.512, or o for OL") if method.is_diode \
            else tr("ohms like 0.6 or 2.2k, or o for OL")
        raise _refuse(text, wanted)
    value = float(number.replace(",", ".")) * _SCALE[prefix]
    if method.is_diode and not prefix and number.isdigit() and LEAST_MILLIVOLTS <= value <= 1000 * MOST_VOLTS_DIODE:
        raise ReadAsMillivoltsError(tr("{number} mV is {value:.3f} V.", number=number,
                                       value=value / 1000), tr("Nothing was recorded yet."),
                                    tr("Enter records it."), f"{value / 1000:.3f}" + ("w" if wavering else ""))
    if method.is_diode and not (0.0 <= value <= MOST_VOLTS_DIODE):
        raise EntryRefusedError(tr("{value:g} V is more than a meter shows in diode mode (0 to {most_volts_diode:g} "
                                   "V).", value=value,
                                   most_volts_diode=MOST_VOLTS_DIODE), tr("Nothing was recorded."), "")
    if not (0.0 <= value <= MOST_OHMS):
        raise EntryRefusedError(tr("{value:g} Ω is more than a meter shows.",
                                   value=value), tr("Nothing was recorded."), "")
    return PointReading(point, value, wavering)


def _capacitance(text: str, stripped: str, point: str, wavering: bool) -> PointReading:
    """'220', '220n', '4.7 uF' in nanofarads; text: as it was typed."""
    bare = stripped[:-1].strip() if stripped[-1:] in ("f", "F") else stripped
    bare = bare.replace("\u03bc", "\u00b5")  # the letter mu for the sign of the millionth
    prefix = bare[-1:] if bare[-1:] in _NANOFARADS else ""
    number = bare[: len(bare) - len(prefix)].strip()
    if not _NUMBER.fullmatch(number):
        raise _refuse(text, tr("nanofarads like 220, or 4.7u, or o for OL"))
    value = float(number.replace(",", ".")) * _NANOFARADS[prefix]
    if not 0.0 <= value <= MOST_NANOFARADS:
        raise EntryRefusedError(tr("{value:g} nF is more than a meter shows.", value=value),
                                tr("Nothing was recorded."), "")
    return PointReading(point, value, wavering)
