"""A meter as a file describes it. Every class checks its own values when it is made; see docs/meter-format.md."""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.instruments.protocols import AMPS, CONTINUITY, DIODE, MULTIMETER, OHMS, VOLTS, Declaration, Quantity

FORMAT, SCHEMA = "dextrum-meter", 1
UNITS = {DIODE: "V", OHMS: "ohm", CONTINUITY: "ohm", VOLTS: "V", AMPS: "A"}
LONGEST_PATTERN = 400
PLAIN = (r"(?P<value>[+-]?\s?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d{1,3})?)\s*,?\s*"
         r"(?P<unit>[A-Za-z\u00b5\u03bc\u03a9\u2126]*)")
"""A number, and a unit if it likes: what most meters send."""
OVERLOADED = r"[+-]?\s*(?:0?\.?O\.?L\.?|OVLD|OVER(?:LOAD)?|OPEN)\s*(?P<unit>[A-Za-z\u03a9]*)"
"""What most of them send for more than they can show."""


def compiled(pattern: str, what: str) -> re.Pattern[str]:
    """Raises ValueError for what is no pattern, or is so long that nobody wrote it."""
    if len(pattern) > LONGEST_PATTERN:
        raise ValueError(f"{what} is {len(pattern)} letters long; expected at most {LONGEST_PATTERN}")
    try:
        return re.compile(pattern, re.IGNORECASE)
    except re.error as wrong:
        raise ValueError(f"{what} is no pattern ({wrong}); expected a regular expression") from None


@dataclass(frozen=True)
class Wire:
    """How the line is set. baud, data_bits, parity, stop_bits, flow: of a serial port. ends: what ends its lines;
    ends_sent: what ends ours. timeout_seconds: until it counts as silent. pause_seconds: between what is sent and the
    next. echo: it repeats what it is told. prompt: what it sends when it is ready for more."""

    __pydantic_config__ = STRICT
    baud: int = 9600
    data_bits: Literal[7, 8] = 8
    parity: Literal["none", "even", "odd"] = "none"
    stop_bits: Literal[1, 2] = 1
    flow: Literal["none", "hardware", "software"] = "none"
    ends: Literal["\n", "\r\n", "\r"] = "\n"
    ends_sent: Literal["\n", "\r\n", "\r"] = "\n"
    timeout_seconds: float = 1.0
    pause_seconds: float = 0.0
    echo: bool = False
    prompt: str = ""

    def __post_init__(self) -> None:
        require(self.baud, 75, 4_000_000, "baud")
        require(self.timeout_seconds, 0.05, 30.0, "timeout_seconds")
        require(self.pause_seconds, 0.0, 5.0, "pause_seconds")
        if len(self.prompt) > 20:
            raise ValueError("the prompt is long; expected at most 20 letters")


@dataclass(frozen=True)
class Hello:
    """How it is greeted. send: first of all, such as to take it to remote. ask: what makes it say who it is, empty for
    one that says nothing. answers: pattern its answer must match to be this kind at all; 'name' and 'serial' in it are
    taken out. errors: what asks for its oldest error, no_error: pattern of none."""

    __pydantic_config__ = STRICT
    send: tuple[str, ...] = ()
    ask: str = "*IDN?"
    answers: str = r"[^,]*,(?P<name>[^,]*)(?:,(?P<serial>[^,]*))?.*"
    errors: str = ""
    no_error: str = r"[+-]?0\b.*"

    def __post_init__(self) -> None:
        compiled(self.answers, "answers")
        compiled(self.no_error, "no_error")


@dataclass(frozen=True)
class Mode:
    """One quantity. send: what sets it. check: what asks for the mode, is_set: patterns of which one must match the
    answer, quotes taken off. ask: what asks for a reading. shows: words for the mode in a line that carries one. unit:
    of a value without one; factor: on it. low, high: what it can show. overload_from: a value from here on is OL.
    settles_seconds: after setting it, before a reading counts."""

    __pydantic_config__ = STRICT
    quantity: Literal["diode", "resistance", "continuity", "volts", "amps"]
    send: tuple[str, ...] = ()
    check: str = ""
    is_set: tuple[str, ...] = ()
    ask: str = ""
    shows: tuple[str, ...] = ()
    unit: Literal["V", "mV", "ohm", "kohm", "A", "mA"] = "V"
    factor: float = 1.0
    low: float | None = None
    high: float | None = None
    overload_from: float | None = None
    settles_seconds: float = 0.0

    def __post_init__(self) -> None:
        for pattern in self.is_set:
            compiled(pattern, "is_set")
        for pattern in self.shows:
            compiled(pattern, "shows")
        require(self.factor, 1e-9, 1e9, "factor")
        require(self.settles_seconds, 0.0, 30.0, "settles_seconds")
        if self.check and not self.is_set:
            raise ValueError("is_set is missing; expected a pattern of the answer to check")

    @cached_property
    def measured(self) -> Quantity:
        """What the program takes it for."""
        least = {DIODE: -0.005, OHMS: -0.5, CONTINUITY: -0.5, VOLTS: -60.0, AMPS: -6.0}[self.quantity]
        most = {DIODE: 10.0, OHMS: 2e8, CONTINUITY: 2e8, VOLTS: 60.0, AMPS: 6.0}[self.quantity]
        zero = -least if self.quantity in (DIODE, OHMS, CONTINUITY) else 0.0
        return Quantity(self.quantity, UNITS[self.quantity], least if self.low is None else self.low,
                        most if self.high is None else self.high, zero)


@dataclass(frozen=True)
class Value:
    """How an answer looks. pattern: the whole answer, with 'value', and 'unit' and 'mode' where it carries them; more
    may stand round them. decimal: its decimal mark. overload: patterns that mean OL, 'unit' and 'mode' in them as
    above. invalid: patterns that are no reading."""

    __pydantic_config__ = STRICT
    pattern: str = PLAIN
    decimal: Literal[".", ","] = "."
    overload: tuple[str, ...] = (OVERLOADED,)
    invalid: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if "value" not in compiled(self.pattern, "pattern").groupindex:
            raise ValueError("pattern names no value; expected a group (?P<value>…)")
        for pattern in (*self.overload, *self.invalid):
            compiled(pattern, "overload and invalid")


@dataclass(frozen=True)
class MeterDescription:
    """A kind of meter by its manner of speaking. manner: it 'asks' to be asked, or 'sends' a line unasked.
    compliance_volts: what it drives in diode mode."""

    __pydantic_config__ = STRICT
    format: Literal["dextrum-meter"]
    schema: Literal[1]
    id: str
    name: str
    manner: Literal["asks", "sends"]
    modes: tuple[Mode, ...]
    words: str = ""
    wire: Wire = Wire()
    hello: Hello = Hello()
    value: Value = Value()
    readings_per_second: float = 5.0
    compliance_volts: float = 2.5

    def __post_init__(self) -> None:
        if not re.fullmatch(r"[a-z0-9][a-z0-9-]{0,39}", self.id):
            raise ValueError(f"id is {self.id[:40]!r}; expected small letters, digits and hyphens")
        if not self.name.strip() or len(self.name) > 60:
            raise ValueError("name is empty or long; expected up to 60 letters")
        if not self.modes:
            raise ValueError("modes are missing; expected at least one")
        names = [mode.quantity for mode in self.modes]
        if len(set(names)) != len(names):
            raise ValueError("a quantity is described twice; expected each once")
        require(self.readings_per_second, 0.1, 1000.0, "readings_per_second")
        require(self.compliance_volts, 0.3, 30.0, "compliance_volts")
        if self.manner == "asks" and not all(mode.ask for mode in self.modes):
            raise ValueError("ask is missing in a mode; expected what asks for a reading")

    def mode(self, quantity: str) -> Mode | None:
        """How a quantity is measured; continuity by resistance where it is not described itself; None where it
        isn't."""
        by_name: dict[str, Mode] = {mode.quantity: mode for mode in self.modes}
        return by_name.get(quantity) or (by_name.get(OHMS) if quantity == CONTINUITY else None)

    @cached_property
    def declaration(self) -> Declaration:
        known = [mode.measured for mode in self.modes]
        ohms = self.mode(CONTINUITY)
        if ohms is not None and all(q.name != CONTINUITY for q in known):
            known.append(Quantity(CONTINUITY, "ohm", ohms.measured.low, ohms.measured.high, ohms.measured.zero_within))
        return Declaration(MULTIMETER, tuple(known), self.readings_per_second, self.compliance_volts)
