"""Meters as cheap and old ones speak, for tests: a table of dialects written from SCPI-99 and IEEE 488.2, and a wire to
each. Nothing here is shared with what understands them."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from math import inf

from dextrum.errors import InstrumentError

WORDS = ("diode", "resistance", "continuity", "volts")
SETS: dict[str, dict[str, str]] = {
    "conf": {r"CONF:DIOD(E)?": "diode", r"CONF:RES(ISTANCE)?": "resistance", r"CONF:CONT(INUITY)?": "continuity",
             r"CONF:VOLT(:DC)?": "volts"},
    "sense": {r'SENS(E)?:FUNC "DIOD"': "diode", r'SENS(E)?:FUNC "RES"': "resistance",
              r'SENS(E)?:FUNC "CONT"': "continuity", r'SENS(E)?:FUNC "VOLT(:DC)?"': "volts"},
    "func": {r'FUNC "DIOD"': "diode", r'FUNC "RES"': "resistance", r'FUNC "CONT"': "continuity",
             r'FUNC "VOLT(:DC)?"': "volts"},
    "word": {r"FUNC DIOD": "diode", r"FUNC RES": "resistance", r"FUNC CONT": "continuity", r"FUNC VDC": "volts"},
    "meas": {},
}
SAYS: dict[str, dict[str, str]] = {
    "plain": dict(zip(WORDS, ("DIOD", "RES", "CONT", "VOLT:DC"), strict=True)),
    "quoted": dict(zip(WORDS, ('"DIOD"', '"RES"', '"CONT"', '"VOLT:DC"'), strict=True)),
    "short": dict(zip(WORDS, ('"DIOD"', '"RES"', '"CONT"', '"VOLT"'), strict=True)),
    "long": dict(zip(WORDS, ("DIODE", "RESISTANCE", "CONTINUITY", "VOLTAGE:DC"), strict=True)),
    "lower": dict(zip(WORDS, ("'diod'", "'res'", "'cont'", "'volt'"), strict=True)),
    "word": dict(zip(WORDS, ("DIODE", "OHM", "BEEP", "DCV"), strict=True)),
}


def engineering(value: float, _unit: str) -> str:
    return "+9.90000000E+37" if value == inf else f"{value:+.8E}"


def fixed(value: float, _unit: str) -> str:
    return "OL" if value == inf else f"{value:.4f}"


def with_unit(value: float, unit: str) -> str:
    return f"OL {unit}" if value == inf else f"{value:.4f} {unit}"


def with_comma(value: float, unit: str) -> str:
    return "OVLD" if value == inf else f"{value:.4f},{unit}"


def in_milli(value: float, unit: str) -> str:
    if value == inf:
        return "9.9E37"
    return f"{value * 1000:.2f} mV" if unit == "V" else f"{value / 1000:.5f} kOhm"


@dataclass(frozen=True)
class Dialect:
    """check: what is asked for the mode; ask: for a reading, by mode where it is a dictionary."""

    name: str
    sets: str
    says: str
    check: str
    ask: str
    value: Callable[[float, str], str]
    idn: str = "MAKER,MODEL 1,SN001,1.0"
    refuses: str = ""

    def unit(self, mode: str) -> str:
        return "V" if mode in ("diode", "volts") else "OHM"


DIALECTS: tuple[Dialect, ...] = tuple(
    Dialect(f"{sets} {says} {value.__name__}", sets, says, check, ask, value, idn)
    for sets, check, ask, idn in (
        ("conf", "FUNC?", "READ?", "MAKER,MODEL 1,SN001,1.0"), ("conf", "FUNC1?", "MEAS?", "MAKER,MODEL 2,,2.0"),
        ("conf", "CONF?", "MEAS1?", "MAKER, MODEL 3 ,77,x"), ("sense", "SENS:FUNC?", "READ?", "MAKER,MODEL 4,4,4"),
        ("func", "FUNC?", "FETC?", "MAKER,MODEL 5,5,5"), ("word", "FUNC?", "VAL?", "MAKER,MODEL 6,6"),
        ("meas", "", "MEAS", "MAKER,MODEL 7,7,7"))
    for says, value in (
        ("plain", engineering), ("quoted", fixed), ("short", with_unit), ("long", with_comma), ("lower", in_milli),
        ("word", fixed))
    if not (sets == "meas" and says not in ("plain", "quoted", "short", "lower", "long")))
"""Forty-one of those that are asked."""


class DialectWire:
    """A wire to a meter that speaks a dialect. value: what is at its probes, by mode. ignores what it doesn't know,
    as IEEE 488.2 has it: a question it doesn't know gets no answer."""

    def __init__(self, dialect: Dialect, trouble: Callable[[str], str | None] = lambda said: said) -> None:
        self.dialect, self.mode = dialect, "volts"
        self.at_probes: dict[str, float] = {"diode": 0.512, "resistance": 1234.5, "continuity": 0.4, "volts": 4.98}
        self._answers: list[str] = []
        self.trouble = trouble
        self.written: list[str] = []

    def write(self, text: str) -> None:
        self.written.append(text)
        told = text.strip().upper()
        d = self.dialect
        for pattern, mode in SETS[d.sets].items():
            if re.fullmatch(pattern, told):
                self.mode = mode
                return
        said: str | None = None
        if told == "*IDN?":
            said = d.idn
        elif d.check and told == d.check:
            said = SAYS[d.says][self.mode]
        elif d.sets == "meas":
            asked = {"MEAS:DIOD?": "diode", "MEAS:RES?": "resistance", "MEAS:CONT?": "continuity",
                     "MEAS:VOLT:DC?": "volts"}.get(told)
            if asked:
                said = d.value(self.at_probes[asked], d.unit(asked))
        elif told == d.ask:
            said = d.value(self.at_probes[self.mode], d.unit(self.mode))
        if said is not None:
            given = self.trouble(said)
            if given is not None:
                self._answers.append(given)

    def read_line(self) -> str:
        if not self._answers:
            raise InstrumentError("silent", "It doesn't answer.")
        return self._answers.pop(0).strip()

    def close(self) -> None:
        self._answers.clear()
