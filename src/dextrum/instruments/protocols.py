"""What an instrument is to the program: what it can measure, and how it is asked. Each kind is a protocol."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Protocol

from dextrum.core.board import Method
from dextrum.tongue import tr

LOOPBACK = "127.0.0.1"
"""Where instruments of a simulated bench are: on this machine, and reached from no other."""
DIODE, OHMS, CONTINUITY, VOLTS, AMPS = "diode", "resistance", "continuity", "volts", "amps"
CAPACITANCE = "capacitance"
MULTIMETER, POWER_METER, PORT_TESTER, SUPPLY = "multimeter", "power_meter", "port_tester", "supply"
KIND_WORDS = {MULTIMETER: "multimeter", POWER_METER: tr("power meter"), PORT_TESTER: tr("port tester"),
              SUPPLY: tr("bench supply")}


@dataclass(frozen=True)
class Quantity:
    """Something an instrument measures. low, high: what it can show; beyond is out of range. zero_within: below zero by
    less than this is how a meter shows nothing, and stands as 0."""

    name: str
    unit: str
    low: float
    high: float
    zero_within: float = 0.0


@dataclass(frozen=True)
class Declaration:
    """What a driver says of its instrument. compliance_volts: what it drives in diode mode; above it shows OL."""

    kind: str
    quantities: tuple[Quantity, ...]
    readings_per_second: float
    compliance_volts: float = 0.0

    def quantity(self, name: str) -> Quantity:
        """Raises KeyError where the instrument doesn't measure it."""
        for quantity in self.quantities:
            if quantity.name == name:
                return quantity
        raise KeyError(name)


def quantity_of(method: Method) -> str:
    """The quantity that a reading by a method is."""
    return DIODE if method.is_diode else {
        Method.CONTINUITY: CONTINUITY, Method.CAPACITANCE: CAPACITANCE}.get(method, OHMS)


class Link(Protocol):
    """A wire to an instrument, in lines. Every call may raise InstrumentError; after one the link is opened anew."""

    def write(self, text: str) -> None: ...

    def read_line(self) -> str: ...

    def close(self) -> None: ...


class Instrument(Protocol):
    name: str
    declaration: Declaration

    def close(self) -> None: ...


class Multimeter(Instrument, Protocol):
    def read(self, quantity: str) -> float:
        """What it shows now, inf for OL."""


class PowerMeter(Instrument, Protocol):
    def samples(self) -> Sequence[tuple[float, float, float]]:
        """Seconds of its own clock, volts, amps: all since the last call."""


class PortTester(Instrument, Protocol):
    def scan(self) -> Sequence[float]:
        """One value for each of its pads, A1 to A12 and B1 to B12, inf for OL."""


class BenchSupply(Instrument, Protocol):
    """Never switched on from here: nothing in it can."""

    def limit(self, volts: float, amps: float) -> None: ...

    def measured(self) -> tuple[float, float]: ...
