"""Drivers of meters by their description: those that are asked, and those that send unasked."""

from __future__ import annotations

import re
import threading
import time

from dextrum.errors import InstrumentError
from dextrum.instruments.described.asked import AskedInstrument
from dextrum.instruments.described.description import MeterDescription, Mode
from dextrum.instruments.described.understanding import understood
from dextrum.instruments.protocols import Link
from dextrum.tongue import tr

CHECK_EVERY = 10
"""Readings between two looks at the mode: someone may have turned the knob."""
QUEUED_SECONDS, LINE_SECONDS = 0.3, 1.5
"""Of lines that were queued before the first question; and until a meter that sends nothing is called silent."""
A_MODE = re.compile(r"[A-Z]+(:[A-Z]+)*", re.IGNORECASE)


class AskedMeter(AskedInstrument):
    """Asked for each reading; set first where it is in another mode, and looked at every so often, since someone may
    have turned the knob."""

    def __init__(self, link: Link, description: MeterDescription) -> None:
        """Raises InstrumentError where it does not greet as described."""
        super().__init__(link, description.name, description.wire, description.hello)
        self.description = description
        self.declaration = description.declaration
        self._mode, self._since = "", 0

    def read(self, quantity: str) -> float:
        """One reading. Raises InstrumentError."""
        mode = mode_for(self.description, quantity)
        if self._mode != quantity:
            for line in mode.send:
                self.send(line)
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
        if not A_MODE.fullmatch(plain_mode(told)):
            raise InstrumentError("babbling", tr("'{told}' is no mode.", told=told[:12]))
        raise InstrumentError("mode", tr("{self} is set to {plain_mode}, not to {quantity}.", self=self.name,
                                         plain_mode=plain_mode(told)[:12], quantity=mode.quantity),
                              tr("Set it back, or let it be set from here."))

    def verify(self) -> None:
        """Raises InstrumentError unless it is such a meter beyond doubt: it says a mode that is described before
        anything is set, and a reading of the first quantity is understood."""
        first = self.description.modes[0]
        if first.check:
            told = self.ask(first.check)
            if not any(is_mode(mode, told) for mode in self.description.modes):
                raise InstrumentError("babbling", tr("'{told}' is no mode of {description}.", told=told[:12],
                                                     description=self.description.name))
        try:
            self.read(first.quantity)
        except InstrumentError as problem:
            if problem.state != "range":
                raise


def plain_mode(told: str) -> str:
    """A mode as it is told, without quotes and blanks."""
    return told.strip().strip("\"'").strip()


def is_mode(mode: Mode, told: str) -> bool:
    """Whether an answer to `check` says this mode."""
    return any(re.fullmatch(one, plain_mode(told), re.IGNORECASE) for one in mode.is_set)


class SendingMeter:
    """Sends its lines unasked; it can't be set from here. Its lines are taken off the wire all the time and stamped as
    they come, so that a reading is never one of an earlier touch."""

    def __init__(self, link: Link, description: MeterDescription, queued_seconds: float = QUEUED_SECONDS) -> None:
        """queued_seconds: for which lines are taken as queued before anyone listened."""
        self.link, self.description = link, description
        self.name, self.declaration = description.name, description.declaration
        self._came = threading.Condition()
        self._line: tuple[float, str] | None = None
        self._problem: tuple[float, InstrumentError] | None = None
        self._open = True
        # What was queued before anyone listened comes at once, and is old.
        self._from = time.monotonic() + queued_seconds
        self._thread = threading.Thread(target=self._drain, name=f"drain {self.name}", daemon=True)
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
        mode = mode_for(self.description, quantity)
        asked = time.monotonic()
        with self._came:
            self._came.wait_for(lambda: (self._line is not None and self._line[0] >= asked)
                                or (self._problem is not None and self._fails(asked)),
                                LINE_SECONDS + max(self._from - asked, 0.0))
            if self._line is None or self._line[0] < asked:
                if self._problem is not None and self._fails(asked):
                    raise self._problem[1]
                raise InstrumentError("silent", tr("{self} sends nothing.", self=self.name))
            line = self._line[1]
        return understood(self.description, mode, line)

    def _fails(self, asked: float) -> bool:
        """Whether the wire is gone, or failed since the question. A silence that began before it says nothing."""
        if self._problem is None or self._problem[1].state == "silent":
            return False
        return self._problem[0] >= asked or self._problem[1].state == "gone"

    def close(self) -> None:
        self._open = False
        self.link.close()


def mode_for(description: MeterDescription, quantity: str) -> Mode:
    """How a quantity is measured. Raises InstrumentError where it isn't."""
    mode = description.mode(quantity)
    if mode is None:
        raise InstrumentError("mode", tr("{description} doesn't measure {quantity}.", description=description.name,
                                         quantity=quantity), tr("Take another meter for it."))
    return mode


def meter_of(description: MeterDescription, link: Link) -> AskedMeter | SendingMeter:
    """The driver for a description. Raises InstrumentError where it doesn't greet as described."""
    return AskedMeter(link, description) if description.manner == "asks" else SendingMeter(link, description)
