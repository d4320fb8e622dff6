"""Drivers for power meters, port testers and supplies that speak SCPI-99."""

from __future__ import annotations

from collections.abc import Sequence

from dextrum.errors import InstrumentError
from dextrum.instruments.parse import parse_value, parse_values
from dextrum.instruments.protocols import (
    AMPS,
    DIODE,
    PORT_TESTER,
    POWER_METER,
    SUPPLY,
    VOLTS,
    Declaration,
    Link,
    Quantity,
)

CONTACTS = 24
ZERO_VOLTS = 0.005
"""How far below zero a meter shows what is nothing: its own zero, and the leads nulled warm. Below that the leads are
the wrong way round, or something drives the point."""
SECONDS = Quantity("seconds", "s", 0.0, 1e9)
MOST_ERRORS = 16


class _Scpi:
    def __init__(self, link: Link, name: str = "") -> None:
        self.link = link
        self.name = name or self.ask("*IDN?").split(",")[1].strip()

    def ask(self, text: str) -> str:
        self.link.write(text)
        return self.link.read_line()

    def close(self) -> None:
        self.link.close()


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
            sample = parse_value(parts[0], SECONDS), parse_value(parts[1], volts), parse_value(parts[2], amps)
            found.append(sample)
        return found


class ScpiPortTester(_Scpi):
    declaration = Declaration(PORT_TESTER, (Quantity(DIODE, "V", -ZERO_VOLTS, 10.0, ZERO_VOLTS),), 0.5, 2.5)

    def scan(self) -> Sequence[float]:
        return parse_values(self.ask("SCAN?"), self.declaration.quantity(DIODE), CONTACTS)


class ScpiSupply(_Scpi):
    declaration = Declaration(SUPPLY, (Quantity(VOLTS, "V", -0.5, 60.0), Quantity(AMPS, "A", -0.1, 10.0)), 5.0)

    def limit(self, volts: float, amps: float) -> None:
        """Set both limits, and believe them only as read back, with nothing in the error queue. The current goes first,
        so that no moment has the new voltage with the old current. Raises InstrumentError."""
        for _ in range(MOST_ERRORS):
            if self._error() is None:
                break
        self.link.write(f"CURR {amps:.3f}")
        self.link.write(f"VOLT {volts:.3f}")
        refused = self._error()
        for asked, wanted, unit, within in (("CURR?", amps, AMPS, 0.02 * amps + 0.005), ("VOLT?", volts, VOLTS, 0.02)):
            told = parse_value(self.ask(asked), self.declaration.quantity(unit))
            if not abs(told - wanted) <= within:
                sign = "A" if unit == AMPS else "V"
                raise InstrumentError("mode", f"{self.name} did not take {wanted:.2f} {sign}; it is at {told:.2f} "
                                      f"{sign}.", "Do not switch it on. Set it by hand, and look twice.")
        if refused:
            raise InstrumentError("mode", f"{self.name} reports an error: {refused[:60]}.",
                                  "Do not switch it on. Set it by hand, and look twice.")

    def _error(self) -> str | None:
        """The oldest error in its queue, None where there is none. SCPI-99, 21.8.8."""
        told = self.ask("SYST:ERR?")
        code = told.partition(",")[0].strip().lstrip("+-").strip()
        return None if code.isdigit() and int(code) == 0 else told

    def switch(self, on: bool) -> None:
        self.link.write(f"OUTP {'ON' if on else 'OFF'}")

    def measured(self) -> tuple[float, float]:
        return (parse_value(self.ask("MEAS:VOLT?"), self.declaration.quantity(VOLTS)),
                parse_value(self.ask("MEAS:CURR?"), self.declaration.quantity(AMPS)))


DRIVERS: dict[str, type[_Scpi]] = {POWER_METER: ScpiPowerMeter, PORT_TESTER: ScpiPortTester, SUPPLY: ScpiSupply}
"""By kind. Multimeters are described by files, see `described`."""
