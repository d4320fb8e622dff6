"""Drivers for instruments that speak SCPI-99, and for simple meters that send one reading a line."""

from __future__ import annotations

import re
import threading
import time
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
ZERO_VOLTS, ZERO_OHMS = 0.005, 0.5
"""How far below zero a meter shows what is nothing: its own zero, and the leads nulled warm. Below that the leads are
the wrong way round, or something drives the point."""
SECONDS = Quantity("seconds", "s", 0.0, 1e9)
MOST_ERRORS = 16
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
        Quantity(DIODE, "V", -ZERO_VOLTS, 10.0, ZERO_VOLTS), Quantity(OHMS, "ohm", -ZERO_OHMS, 2e8, ZERO_OHMS),
        Quantity(CONTINUITY, "ohm", -ZERO_OHMS, 2e8, ZERO_OHMS), Quantity(VOLTS, "V", -60.0, 60.0)), 10.0, 2.5)

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


QUEUED_SECONDS, LINE_SECONDS = 0.3, 1.5
"""Of lines that were queued before the first question; and until a meter that sends nothing is called silent."""
LINE_MODES = {"DIODE": DIODE, "RES": OHMS, "CONT": CONTINUITY, "VDC": VOLTS}


class LineMeter:
    """A simple meter that sends one reading a line, unasked: value, unit and, if it likes, its mode.

    '0.512 V DIODE', 'OL V DIODE' or '1.2 kOhm RES'; see docs/instruments.md. It can't be set from here. Its lines are
    taken off the wire all the time and stamped as they come, so that a reading is never one of an earlier touch.
    """

    declaration = Declaration(MULTIMETER, (
        Quantity(DIODE, "V", -ZERO_VOLTS, 10.0, ZERO_VOLTS), Quantity(OHMS, "ohm", -ZERO_OHMS, 2e8, ZERO_OHMS),
        Quantity(CONTINUITY, "ohm", -ZERO_OHMS, 2e8, ZERO_OHMS), Quantity(VOLTS, "V", -60.0, 60.0)), 4.0, 2.5)

    def __init__(self, link: Link, name: str = "line meter", queued_seconds: float = QUEUED_SECONDS) -> None:
        """queued_seconds: for which lines are taken as queued before anyone listened."""
        self.link = link
        self.name = name
        self._came = threading.Condition()
        self._line: tuple[float, str] | None = None
        self._problem: tuple[float, InstrumentError] | None = None
        self._open = True
        # What was queued before anyone listened comes at once, and is old.
        self._from = time.monotonic() + queued_seconds
        self._thread = threading.Thread(target=self._drain, name=f"drain {name}", daemon=True)
        self._thread.start()

    def _drain(self) -> None:
        while self._open:
            try:
                line, problem = self.link.read_line(), None
            except InstrumentError as trouble:
                line, problem = "", trouble
            with self._came:
                if problem is None and time.monotonic() >= self._from:
                    self._line = time.monotonic(), line
                    self._problem = None
                elif problem is not None:
                    self._problem = time.monotonic(), problem
                self._came.notify_all()
            if problem is not None and problem.state == "gone":
                return

    def read(self, quantity: str) -> float:
        """The next line to come. Raises InstrumentError, also where the line says another mode."""
        asked = time.monotonic()
        with self._came:
            self._came.wait_for(lambda: (self._line is not None and self._line[0] >= asked)
                                or (self._problem is not None and self._fails(asked)),
                                LINE_SECONDS + max(self._from - asked, 0.0))
            if self._line is None or self._line[0] < asked:
                if self._problem is not None and self._fails(asked):
                    raise self._problem[1]
                raise InstrumentError("silent", f"{self.name} sends nothing.")
            line = self._line[1]
        return self.understand(line, quantity)

    def understand(self, line: str, quantity: str) -> float:
        """A line as a value of the quantity. Raises InstrumentError."""
        parts = line.split()
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

    def _fails(self, asked: float) -> bool:
        """Whether the wire is gone, or failed since the question. A silence that began before it says nothing."""
        if self._problem is None or self._problem[1].state == "silent":
            return False
        return self._problem[0] >= asked or self._problem[1].state == "gone"

    def close(self) -> None:
        self._open = False
        self.link.close()


DRIVERS: dict[str, type[_Scpi]] = {MULTIMETER: ScpiMultimeter, POWER_METER: ScpiPowerMeter,
                                   PORT_TESTER: ScpiPortTester, SUPPLY: ScpiSupply}
