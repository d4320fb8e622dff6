"""Drivers for instruments that speak SCPI-99, and for simple meters that send one reading a line."""

from __future__ import annotations

import re
from collections.abc import Sequence

from dextrum.errors import InstrumentError
from dextrum.instruments.parse import parse_value, parse_values
from dextrum.instruments.protocols import (
    AMPS,
    CONTINUITY,
    DIODE,
    MULTIMETER,
    OHMS,
    PORT_TESTER,
    POWER_METER,
    SUPPLY,
    VOLTS,
    Declaration,
    Link,
    Quantity,
)

FUNCTIONS = {DIODE: "DIOD", OHMS: "RES", CONTINUITY: "CONT", VOLTS: "VOLT:DC"}
CONTACTS = 24
SECONDS = Quantity("seconds", "s", 0.0, 1e9)
CHECK_EVERY = 10
"""Readings between two looks at the mode: someone may have turned the knob."""


class _Scpi:
    def __init__(self, link: Link, name: str = "") -> None:
        self.link = link
        self.name = name or self.ask("*IDN?").split(",")[1].strip()

    def ask(self, text: str) -> str:
        self.link.write(text)
        return self.link.read_line()

    def close(self) -> None:
        self.link.close()


class ScpiMultimeter(_Scpi):
    declaration = Declaration(MULTIMETER, (
        Quantity(DIODE, "V", -0.05, 10.0), Quantity(OHMS, "ohm", -1.0, 2e8), Quantity(CONTINUITY, "ohm", -1.0, 2e8),
        Quantity(VOLTS, "V", -60.0, 60.0)), 10.0, 2.5)

    def __init__(self, link: Link, name: str = "") -> None:
        super().__init__(link, name)
        self._mode = ""
        self._since = 0

    def read(self, quantity: str) -> float:
        """One reading; sets the mode first where it is another. Raises InstrumentError."""
        known = self.declaration.quantity(quantity)
        if self._mode != quantity:
            self.link.write(f"CONF:{FUNCTIONS[quantity]}")
            self._mode, self._since = quantity, CHECK_EVERY
        if self._since >= CHECK_EVERY:
            self._since = 0
            shown = self.ask("FUNC?").strip('"')
            if shown != FUNCTIONS[quantity]:
                self._mode = ""
                if not re.fullmatch(r"[A-Z]+(:[A-Z]+)*", shown):
                    raise InstrumentError("babbling", f"'{shown[:12]}' is no mode.")
                raise InstrumentError("mode", f"{self.name} is set to {shown[:12]}, not to {quantity}.",
                                      "Set it back, or let it be set from here.")
        self._since += 1
        return parse_value(self.ask("READ?"), known)


class ScpiPowerMeter(_Scpi):
    declaration = Declaration(POWER_METER, (Quantity(VOLTS, "V", -0.5, 60.0), Quantity(AMPS, "A", -6.0, 6.0)), 10.0)
    MOST_AT_ONCE = 20_000

    def samples(self) -> Sequence[tuple[float, float, float]]:
        """All since the last call, by the meter's own clock. Raises InstrumentError."""
        text = self.ask("FETC:ARR?")
        if text in ("", "0"):
            return []
        rows = text.split(";")
        if len(rows) > self.MOST_AT_ONCE:
            raise InstrumentError("babbling", f"{len(rows)} samples came at once.")
        volts, amps = self.declaration.quantity(VOLTS), self.declaration.quantity(AMPS)
        found = []
        for row in rows:
            parts = row.split(",")
            if len(parts) != 3:
                raise InstrumentError("babbling", f"'{row[:24]}' is not a sample.")
            found.append((parse_value(parts[0], SECONDS), parse_value(parts[1], volts), parse_value(parts[2], amps)))
        return found


class ScpiPortTester(_Scpi):
    declaration = Declaration(PORT_TESTER, (Quantity(DIODE, "V", -0.05, 10.0),), 0.5, 2.5)

    def scan(self) -> Sequence[float]:
        return parse_values(self.ask("SCAN?"), self.declaration.quantity(DIODE), CONTACTS)


class ScpiSupply(_Scpi):
    declaration = Declaration(SUPPLY, (Quantity(VOLTS, "V", -0.5, 60.0), Quantity(AMPS, "A", -0.1, 10.0)), 5.0)

    def limit(self, volts: float, amps: float) -> None:
        self.link.write(f"VOLT {volts:.3f}")
        self.link.write(f"CURR {amps:.3f}")
        told = parse_value(self.ask("VOLT?"), self.declaration.quantity(VOLTS))
        if abs(told - volts) > 0.01:
            raise InstrumentError("mode", f"{self.name} did not take {volts:.2f} V; it is at {told:.2f} V.",
                                  "Set it by hand, and look twice.")

    def switch(self, on: bool) -> None:
        self.link.write(f"OUTP {'ON' if on else 'OFF'}")

    def measured(self) -> tuple[float, float]:
        return (parse_value(self.ask("MEAS:VOLT?"), self.declaration.quantity(VOLTS)),
                parse_value(self.ask("MEAS:CURR?"), self.declaration.quantity(AMPS)))


LINE_MODES = {"DIODE": DIODE, "RES": OHMS, "CONT": CONTINUITY, "VDC": VOLTS}


class LineMeter:
    """A simple meter that sends one reading a line, unasked: value, unit and, if it likes, its mode.

    '0.512 V DIODE', 'OL V DIODE' or '1.2 kOhm RES'; see docs/instruments.md. It can't be set from here.
    """

    declaration = Declaration(MULTIMETER, (
        Quantity(DIODE, "V", -0.05, 10.0), Quantity(OHMS, "ohm", -1.0, 2e8), Quantity(CONTINUITY, "ohm", -1.0, 2e8),
        Quantity(VOLTS, "V", -60.0, 60.0)), 4.0, 2.5)
    def __init__(self, link: Link, name: str = "line meter") -> None:
        self.link = link
        self.name = name

    def read(self, quantity: str) -> float:
        """The next line. Raises InstrumentError, also where the line says another mode."""
        parts = self.link.read_line().split()
        known = self.declaration.quantity(quantity)
        if not parts or len(parts) > 3:
            raise InstrumentError("babbling", f"'{' '.join(parts)[:24]}' is not a reading.")
        if len(parts) == 3 and LINE_MODES.get(parts[2].upper()) != quantity:
            raise InstrumentError("mode", f"{self.name} is set to {parts[2][:12]}, not to {quantity}.",
                                  f"Turn it to {quantity}.")
        if parts[0].upper() == "OL" and len(parts) > 1:
            parse_value(f"0 {parts[1]}", known)  # OL in another unit is another mode
            return float("inf")
        return parse_value(" ".join(parts[:2]), known)

    def close(self) -> None:
        self.link.close()


DRIVERS: dict[str, type[_Scpi]] = {MULTIMETER: ScpiMultimeter, POWER_METER: ScpiPowerMeter,
                                   PORT_TESTER: ScpiPortTester, SUPPLY: ScpiSupply}
