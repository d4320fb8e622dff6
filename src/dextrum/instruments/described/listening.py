"""A description made by listening: what an unknown meter sends while the probes are shorted, open, and on a diode.

Nothing is asked of it. The line's own words become the pattern; what it sends for an open circuit becomes the overload.
What was made is held against every line that was heard, and refused where one would be misread.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from math import inf
from statistics import median
from typing import Literal

from dextrum.errors import InstrumentError
from dextrum.instruments.described.description import MeterDescription, Mode, Value
from dextrum.instruments.described.understanding import understood, unit_of
from dextrum.instruments.described.wire import Wire
from dextrum.tongue import tr

BAUDS = (9600, 2400, 19200, 4800, 38400, 115200, 1200)
"""In the order in which they are tried: the usual one first."""
ENDS: tuple[Literal["\n"], Literal["\r"]] = ("\n", "\r")
LEAST_LINES = 3
SHORTED_VOLTS, DIODE_VOLTS = 0.06, (0.1, 1.2)
"""What a shorted pair of probes may show with its leads, and what any diode or pin does."""
_TOKEN = re.compile(
    r"(?P<number>[+-]?\s?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d{1,3})?)|(?P<word>[A-Za-z\u00b5\u03bc\u03a9\u2126]+)|"
    r"(?P<rest>[^A-Za-z\d\u00b5\u03bc\u03a9\u2126]+)")
_VALUE = r"(?P<value>[+-]?\s?(?:\d+[.,]?\d*|[.,]\d+)(?:[eE][+-]?\d{1,3})?)"
_UNIT, _MODE = r"(?P<unit>[A-Za-z\u00b5\u03bc\u03a9\u2126]+)", r"(?P<mode>[A-Za-z]+)"


@dataclass(frozen=True)
class Heard:
    """Lines as they came while the probes were shorted, open, and on a diode."""

    shorted: tuple[str, ...]
    opened: tuple[str, ...]
    diode: tuple[str, ...]


@dataclass(frozen=True)
class Made:
    """cannot: what it can't do or tell, in words."""

    description: MeterDescription
    cannot: tuple[str, ...]


def sense_of(lines: Sequence[str]) -> float:
    """How much sense lines make at some speed: the share of them that is printable and holds a number or an overload;
    0 of none. What is read at a wrong speed holds neither."""
    if not lines:
        return 0.0
    good = sum(line.isprintable() and line.isascii() and bool(re.search(r"\d|O\.?L", line)) and len(line) <= 60
               for line in (one.strip() for one in lines))
    return good / len(lines)


def _tokens(line: str) -> list[tuple[str, str]]:
    """Kind and text of each piece of a line: number, word or rest."""
    return [(str(found.lastgroup), found.group()) for found in _TOKEN.finditer(line.strip())]


def _shape(line: str) -> tuple[str, str, str]:
    """Pattern of lines like this one, its unit and its mode as they are sent; empty where there is no number."""
    pattern, unit, mode, seen = "", "", "", False
    for kind, text in _tokens(line):
        if kind == "number" and not seen:
            pattern, seen = pattern + _VALUE, True
        elif kind == "word" and seen and not unit and unit_of(text) is not None:
            pattern, unit = pattern + _UNIT, text
        elif kind == "word" and not mode:
            pattern, mode = pattern + _MODE, text
        elif kind == "rest":
            pattern += r"[\s,;:=]*" if not re.search(r"[^\s,;:=]", text) else re.escape(text)
        else:
            pattern += r"[A-Za-z0-9.+-]*"
    return (pattern, unit, mode) if seen else ("", "", "")


def _overload_pattern(line: str, unit: str, mode: str) -> str:
    """Pattern of a line that means OL: its own words, but for the unit and the mode."""
    pattern, unit_seen, mode_seen = "", False, False
    for kind, text in _tokens(line):
        if kind == "word" and mode and not mode_seen and text.casefold() == mode.casefold():
            pattern, mode_seen = pattern + _MODE, True
        elif kind == "word" and unit and not unit_seen and (text.casefold() == unit.casefold()
                                                            or unit_of(text) is not None):
            pattern, unit_seen = pattern + _UNIT, True
        elif kind == "rest" and not re.search(r"[^\s,;:=]", text):
            pattern += r"[\s,;:=]*"
        else:
            pattern += re.escape(text)
    return pattern


def described_from(heard: Heard, wire: Wire, identity: str, name: str, readings_per_second: float = 4.0) -> Made:
    """The description of a meter from what it sent. Raises InstrumentError with what to do where it can't be made."""
    for what, lines in (("shorted", heard.shorted), ("open", heard.opened), (tr("on a diode"), heard.diode)):
        if len(lines) < LEAST_LINES:
            raise InstrumentError("silent", tr("{count} lines came while the probes were {what}.", count=len(lines),
                                               what=what),
                                  tr("Hold them longer, or look whether it is set to send."))
    shapes = Counter(_shape(line) for line in heard.diode if _shape(line)[0])
    if not shapes:
        raise InstrumentError("babbling", tr("No line held a number while the probes were on a diode."),
                              tr("Is its speed right, and is it in diode mode?"))
    (pattern, unit, mode), _ = shapes.most_common(1)[0]
    decimal = "," if any(re.search(r"\d,\d", line) and "." not in line for line in heard.diode) else "."
    silent = [line for line in heard.opened if re.fullmatch(pattern, line.strip(), re.IGNORECASE) is None]
    overload = tuple(dict.fromkeys(_overload_pattern(line, unit, mode) for line in silent))[:4]
    number = _middle(heard.diode, pattern, decimal)
    scale: tuple[str, float] = ("V", 1.0) if unit else ("mV", 1e-3) if number > 20.0 else ("V", 1.0)
    overload_from = None
    if not overload:
        most = _middle(heard.opened, pattern, decimal)
        if not most > 1.5 * number:
            raise InstrumentError(
                "babbling", tr("Open probes and a diode read alike."), tr("Hold them well apart, and again.")
            )
        overload_from = 0.9 * most
    described = Mode("diode", shows=(re.escape(mode),) if mode else (), unit="mV" if scale[0] == "mV" else "V",
                     overload_from=overload_from)
    value = Value(pattern, decimal, overload or (r"OL",))  # type: ignore[arg-type]
    made = MeterDescription("dextrum-meter", 1, identity, name, "sends", (described,), tr("Made by listening."), wire,
                            value=value, readings_per_second=readings_per_second)
    _must_hold(made, heard)
    cannot = [tr("It can't be set from here: turn it to diode mode by hand.")]
    if not mode:
        cannot.append(tr("Its lines don't say the mode, so a turned knob is not noticed."))
    cannot.append(tr("Ohms are not described; type them, or describe them in its file."))
    return Made(made, tuple(cannot))


def _middle(lines: Sequence[str], pattern: str, decimal: str) -> float:
    """The middle of the numbers in lines of this pattern; inf where there are none."""
    found = []
    for line in lines:
        match = re.fullmatch(pattern, line.strip(), re.IGNORECASE)
        if match is not None:
            text = match["value"].replace(" ", "")
            found.append(float(text.replace(",", ".") if decimal == "," else text.replace(",", "")))
    return median(found) if found else inf


def _must_hold(made: MeterDescription, heard: Heard) -> None:
    """Raises InstrumentError unless what was made reads every touch as it was."""
    mode = made.modes[0]

    def read(lines: Sequence[str]) -> list[float]:
        found = []
        for line in lines:
            try:
                found.append(understood(made, mode, line))
            except InstrumentError:
                continue
        return found

    shorted, opened, diode = (read(lines) for lines in (heard.shorted, heard.opened, heard.diode))
    if not shorted or not abs(median(shorted)) <= SHORTED_VOLTS:
        raise InstrumentError(
            "babbling", tr("Shorted probes don't read as nothing."), tr("Short them well, and again.")
        )
    if not diode or not DIODE_VOLTS[0] <= median(diode) <= DIODE_VOLTS[1]:
        raise InstrumentError("babbling", tr("The diode doesn't read between 0.1 and 1.2 V."),
                              tr("Red on the anode, black on the cathode; is it in diode mode?"))
    if not opened or median(opened) != inf:
        raise InstrumentError("babbling", tr("Open probes don't read as OL."), tr("Hold them well apart, and again."))
