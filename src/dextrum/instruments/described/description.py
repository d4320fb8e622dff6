"""A meter as a file describes it. Every class checks its own values when it is made; see docs/meter-format.md."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.instruments.described.wire import (
    OVERLOADED,
    PLAIN,
    USUAL_HELLO,
    USUAL_WIRE,
    Hello,
    Wire,
    check_head,
    compiled,
    never_switches_on,
)
from dextrum.instruments.protocols import (
    AMPS,
    CAPACITANCE,
    CONTINUITY,
    DIODE,
    MULTIMETER,
    OHMS,
    VOLTS,
    Declaration,
    Quantity,
)
from dextrum.tongue import tr

UNITS = {DIODE: "V", OHMS: "ohm", CONTINUITY: "ohm", VOLTS: "V", AMPS: "A", CAPACITANCE: "nF"}


@dataclass(frozen=True)
class Mode:
    """One quantity. send: what sets it. check: what asks for the mode, is_set: patterns of which one must match the
    answer, quotes taken off. ask: what asks for a reading. shows: words for the mode in a line that carries one. unit:
    of a value without one; factor: on it. low, high: what it can show. overload_from: a value from here on is OL.
    settles_seconds: after setting it, before a reading counts."""

    __pydantic_config__ = STRICT
    quantity: Literal["diode", "resistance", "continuity", "volts", "amps", "capacitance"]
    send: tuple[str, ...] = ()
    check: str = ""
    is_set: tuple[str, ...] = ()
    ask: str = ""
    shows: tuple[str, ...] = ()
    unit: Literal["V", "mV", "ohm", "kohm", "A", "mA", "F", "uF", "nF"] = "V"
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
            raise ValueError(tr("is_set is missing; expected a pattern of the answer to check"))

    @cached_property
    def measured(self) -> Quantity:
        """What the program takes it for."""
        least, most = {DIODE: (-0.005, 10.0), OHMS: (-0.5, 2e8), CONTINUITY: (-0.5, 2e8), VOLTS: (-60.0, 60.0),
                       AMPS: (-6.0, 6.0), CAPACITANCE: (-1.0, 1e8)}[self.quantity]
        zero = -least if self.quantity in (DIODE, OHMS, CONTINUITY, CAPACITANCE) else 0.0
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
            raise ValueError(tr("pattern names no value; expected a group (?P<value>…)"))
        for pattern in (*self.overload, *self.invalid):
            compiled(pattern, tr("overload and invalid"))


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
    wire: Wire = USUAL_WIRE
    hello: Hello = USUAL_HELLO
    value: Value = Value()
    readings_per_second: float = 5.0
    compliance_volts: float = 2.5
    kind: Literal["multimeter"] = "multimeter"

    def __post_init__(self) -> None:
        check_head(self.id, self.name)
        never_switches_on(self.hello, (line for mode in self.modes for line in (*mode.send, mode.check, mode.ask)))
        if not self.modes:
            raise ValueError(tr("modes are missing; expected at least one"))
        names = [mode.quantity for mode in self.modes]
        if len(set(names)) != len(names):
            raise ValueError(tr("a quantity is described twice; expected each once"))
        require(self.readings_per_second, 0.1, 1000.0, "readings_per_second")
        require(self.compliance_volts, 0.3, 30.0, "compliance_volts")
        if self.manner == "asks" and not all(mode.ask for mode in self.modes):
            raise ValueError(tr("ask is missing in a mode; expected what asks for a reading"))

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
