"""Port testers by their description: one question, and a value for each of 24 pads."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.errors import InstrumentError
from dextrum.instruments.described.asked import AskedInstrument
from dextrum.instruments.described.wire import (
    USUAL_HELLO,
    USUAL_WIRE,
    Hello,
    Wire,
    check_head,
    never_switches_on,
)
from dextrum.instruments.parse import parse_value
from dextrum.instruments.protocols import DIODE, PORT_TESTER, Declaration, Link, Quantity
from dextrum.tongue import tr

PADS = tuple(f"{row}{place}" for row in "AB" for place in range(1, 13))
"""In the order in which the program takes them. USB Type-C, receptacle: rows A and B, 1 to 12."""
ZERO_VOLTS = 0.005
"""How far below zero a meter shows what is nothing: its own zero, and the leads nulled warm. Below that the leads are
the wrong way round, or something drives the point."""


@dataclass(frozen=True)
class TesterDescription:
    """A kind of port tester by its manner of speaking. ask: what makes it read all pads; between: what stands between
    the values of its answer; order: names of the pads as it tells them; unit and compliance_volts: as of a multimeter
    in diode mode."""

    __pydantic_config__ = STRICT
    format: Literal["dextrum-meter"]
    schema: Literal[1]
    kind: Literal["port_tester"]
    id: str
    name: str
    ask: str
    words: str = ""
    wire: Wire = USUAL_WIRE
    hello: Hello = USUAL_HELLO
    between: str = ","
    order: tuple[str, ...] = PADS
    unit: Literal["V", "mV"] = "V"
    compliance_volts: float = 2.5
    readings_per_second: float = 0.5

    def __post_init__(self) -> None:
        check_head(self.id, self.name)
        never_switches_on(self.hello, (self.ask,))
        if not self.ask.strip() or not self.between:
            raise ValueError(tr("ask or between is empty; expected a question, and what stands between values"))
        if sorted(self.order) != sorted(PADS):
            raise ValueError(tr("order is not of the 24 pads; expected A1 to A12 and B1 to B12, each once"))
        require(self.compliance_volts, 0.3, 30.0, "compliance_volts")
        require(self.readings_per_second, 0.01, 1000.0, "readings_per_second")

    @cached_property
    def declaration(self) -> Declaration:
        return Declaration(PORT_TESTER, (Quantity(DIODE, "V", -ZERO_VOLTS, 10.0, ZERO_VOLTS),),
                           self.readings_per_second, self.compliance_volts)


class DescribedTester(AskedInstrument):
    def __init__(self, link: Link, description: TesterDescription) -> None:
        """Raises InstrumentError where it does not greet as described."""
        super().__init__(link, description.name, description.wire, description.hello)
        self.description, self.declaration = description, description.declaration

    def scan(self) -> Sequence[float]:
        """One value for each pad, A1 to A12 and B1 to B12, inf for OL. Raises InstrumentError."""
        about = self.description
        parts = self.ask(about.ask).split(about.between)
        if len(parts) != len(about.order):
            raise InstrumentError("babbling", tr("{count} values came, and {count2} were asked for.", count=len(parts),
                                                 count2=len(about.order)))
        quantity = about.declaration.quantity(DIODE)
        told = [part.strip() for part in parts]
        if about.unit == "mV":
            told = [one if not one or one[-1].isalpha() else f"{one} mV" for one in told]
        found = {pad: parse_value(one, quantity) for pad, one in zip(about.order, told, strict=True)}
        return [found[pad] for pad in PADS]

    def verify(self) -> None:
        """Raises InstrumentError unless it reads all pads."""
        self.scan()
