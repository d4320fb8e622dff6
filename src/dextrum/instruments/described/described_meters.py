"""Drivers of meters by their description: those that are asked, and those that send unasked."""

from __future__ import annotations

import re
import time

from dextrum.errors import InstrumentError
from dextrum.instruments.described.description import MeterDescription, Mode, compiled
from dextrum.instruments.described.understanding import understood
from dextrum.instruments.protocols import Link
from dextrum.instruments.scpi import CHECK_EVERY, QUEUED_SECONDS, LineMeter

MOST_STRAY = 4
"""Lines that may come before an answer: an echo, a prompt, an empty line."""


class AskedMeter:
    """Asked for each reading; set first where it is in another mode, and looked at every so often, since someone may
    have turned the knob."""

    def __init__(self, link: Link, description: MeterDescription) -> None:
        """Raises InstrumentError where it does not greet as described."""
        self.link, self.description = link, description
        self.declaration = description.declaration
        self._mode, self._since = "", 0
        self._echoes: list[str] = []
        for line in description.hello.send:
            self._send(line)
        self.name, self.serial = self._greet()

    def _greet(self) -> tuple[str, str]:
        hello = self.description.hello
        if not hello.ask:
            return self.description.name, ""
        told = self.ask(hello.ask)
        found = compiled(hello.answers, "answers").fullmatch(told)
        if found is None:
            raise InstrumentError("babbling", f"'{told[:24]}' is not what {self.description.name} says.")
        groups = found.groupdict()
        return (groups.get("name") or self.description.name).strip(), (groups.get("serial") or "").strip()

    def _send(self, text: str) -> None:
        self.link.write(text)
        if self.description.wire.echo:
            self._echoes.append(text.strip())
        if self.description.wire.pause_seconds:
            time.sleep(self.description.wire.pause_seconds)

    def ask(self, text: str) -> str:
        """Its answer without echo and prompt. Raises InstrumentError."""
        self._send(text)
        wire = self.description.wire
        for _ in range(MOST_STRAY + len(self._echoes) + 1):
            line = self.link.read_line().strip()
            while wire.prompt and line.startswith(wire.prompt.strip()) and wire.prompt.strip():
                line = line[len(wire.prompt.strip()):].strip()
            if line in self._echoes:
                del self._echoes[:self._echoes.index(line) + 1]  # what was told before has been repeated too
            elif line:
                return line
        raise InstrumentError("silent", f"{self.description.name} doesn't answer.")

    def read(self, quantity: str) -> float:
        """One reading. Raises InstrumentError."""
        mode = self.description.mode(quantity)
        if mode is None:
            raise InstrumentError("mode", f"{self.name} doesn't measure {quantity}.", "Take another meter for it.")
        if self._mode != quantity:
            for line in mode.send:
                self._send(line)
            if mode.settles_seconds:
                time.sleep(mode.settles_seconds)
            self._mode, self._since = quantity, CHECK_EVERY
        if mode.check and self._since >= CHECK_EVERY:
            self._since = 0
            self._must_be(mode)
        self._since += 1
        return understood(self.description, mode, self.ask(mode.ask))

    def _must_be(self, mode: Mode) -> None:
        """Raises InstrumentError unless it is in this mode."""
        told = self.ask(mode.check)
        if is_mode(mode, told):
            return
        self._mode = ""
        if not any(is_mode(other, told) for other in self.description.modes):
            raise InstrumentError("babbling", f"'{told[:12]}' is no mode.")
        raise InstrumentError("mode", f"{self.name} is set to {plain_mode(told)[:12]}, not to {mode.quantity}.",
                              "Set it back, or let it be set from here.")

    def verify(self) -> None:
        """Raises InstrumentError unless it is such a meter beyond doubt: it says a mode that is described before
        anything is set, and a reading of the first quantity is understood."""
        first = self.description.modes[0]
        if first.check:
            told = self.ask(first.check)
            if not any(is_mode(mode, told) for mode in self.description.modes):
                raise InstrumentError("babbling", f"'{told[:12]}' is no mode of {self.description.name}.")
        try:
            self.read(first.quantity)
        except InstrumentError as problem:
            if problem.state != "range":
                raise

    def close(self) -> None:
        self.link.close()


def plain_mode(told: str) -> str:
    """A mode as it is told, without quotes and blanks."""
    return told.strip().strip("\"'").strip()


def is_mode(mode: Mode, told: str) -> bool:
    """Whether an answer to `check` says this mode."""
    return any(re.fullmatch(one, plain_mode(told), re.IGNORECASE) for one in mode.is_set)


class SendingMeter(LineMeter):
    """Sends its lines unasked; it can't be set from here."""

    def __init__(self, link: Link, description: MeterDescription, queued_seconds: float = QUEUED_SECONDS) -> None:
        self.description = description
        self.declaration = description.declaration
        super().__init__(link, description.name, queued_seconds)

    def understand(self, line: str, quantity: str) -> float:
        mode = self.description.mode(quantity)
        if mode is None:
            raise InstrumentError("mode", f"{self.name} doesn't measure {quantity}.", "Take another meter for it.")
        return understood(self.description, mode, line)


def meter_of(description: MeterDescription, link: Link) -> AskedMeter | SendingMeter:
    """The driver for a description. Raises InstrumentError where it doesn't greet as described."""
    return AskedMeter(link, description) if description.manner == "asks" else SendingMeter(link, description)
