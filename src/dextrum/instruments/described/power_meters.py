"""Power meters by their description: asked by one or two questions, or sending rows unasked."""

from __future__ import annotations

import threading
import time
from collections import deque
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from dextrum.core.board.bounds import STRICT, require
from dextrum.errors import InstrumentError
from dextrum.instruments.described.asked import AskedInstrument
from dextrum.instruments.described.samples import Sample, SampleReader, Samples
from dextrum.instruments.described.wire import (
    USUAL_HELLO,
    USUAL_WIRE,
    Hello,
    Wire,
    check_head,
    never_switches_on,
)
from dextrum.instruments.protocols import AMPS, POWER_METER, VOLTS, Declaration, Link, Quantity
from dextrum.tongue import tr

USUAL_SAMPLES = Samples()
QUEUED_SECONDS = 0.3
"""Of rows that were queued before anyone listened: they come at once, and are old."""
SILENT_SECONDS, SILENT_ROWS = 3.0, 4.0
"""After which one that sends unasked, and sends nothing, is called silent: seconds, or rows that a slow one owes."""
MOST_KEPT = 20_000
VERIFY_SECONDS = 0.8
"""In which one that is asked must give a row to be claimed."""


@dataclass(frozen=True)
class PowerMeterDescription:
    """A kind of power meter by its manner of speaking. manner: it 'asks' to be asked, or 'sends' rows unasked. ask:
    what asks for rows; two for one that tells volts and amps apart, whose answers are put in one row with a comma
    between. found: whether a search may claim it: not where other kinds of instrument would answer the same."""

    __pydantic_config__ = STRICT
    format: Literal["dextrum-meter"]
    schema: Literal[1]
    kind: Literal["power_meter"]
    id: str
    name: str
    manner: Literal["asks", "sends"]
    words: str = ""
    wire: Wire = USUAL_WIRE
    hello: Hello = USUAL_HELLO
    ask: tuple[str, ...] = ()
    samples: Samples = USUAL_SAMPLES
    readings_per_second: float = 10.0
    found: bool = True

    def __post_init__(self) -> None:
        check_head(self.id, self.name)
        never_switches_on(self.hello, self.ask)
        require(self.readings_per_second, 0.1, 1000.0, "readings_per_second")
        if (self.manner == "asks") != bool(self.ask):
            raise ValueError(tr("ask goes with manner 'asks'; expected a question there, and none where it sends"))
        if len(self.ask) > 2:
            raise ValueError(tr("{count} questions; expected one, or one for volts and one for amps",
                                count=len(self.ask)))

    @cached_property
    def declaration(self) -> Declaration:
        about = self.samples
        return Declaration(POWER_METER, (Quantity(VOLTS, "V", about.low_volts, about.high_volts),
                                         Quantity(AMPS, "A", about.low_amps, about.high_amps)),
                           self.readings_per_second)


class AskedPowerMeter(AskedInstrument):
    def __init__(self, link: Link, description: PowerMeterDescription) -> None:
        """Raises InstrumentError where it does not greet as described."""
        super().__init__(link, description.name, description.wire, description.hello)
        self.description, self.declaration = description, description.declaration
        self._reader = SampleReader(description.samples)

    @property
    def doubt(self) -> str:
        """Why its own counting is not believed; empty where nothing speaks against it."""
        return self._reader.doubt

    def samples(self) -> Sequence[Sample]:
        """All that are new. Raises InstrumentError."""
        began = time.monotonic()
        text = ",".join(self.ask(question) for question in self.description.ask)
        return self._reader.answer(text, (began + time.monotonic()) / 2.0)

    def verify(self) -> None:
        """Raises InstrumentError unless it gives a row within a moment."""
        until = time.monotonic() + VERIFY_SECONDS
        while not self.samples():
            if time.monotonic() > until:
                raise InstrumentError("babbling", tr("{description} gives no sample.",
                                                     description=self.description.name))
            time.sleep(0.05)


class SendingPowerMeter:
    """Sends its rows unasked; they are taken off the wire all the time and stamped as they come."""

    def __init__(self, link: Link, description: PowerMeterDescription, queued_seconds: float = QUEUED_SECONDS) -> None:
        self.link, self.description = link, description
        self.name, self.declaration = description.name, description.declaration
        self._reader = SampleReader(description.samples)
        self._lock = threading.Lock()
        self._rows: deque[tuple[float, str]] = deque(maxlen=MOST_KEPT)
        self._problem: InstrumentError | None = None
        self._open = True
        self._from = time.monotonic() + queued_seconds
        self._came = time.monotonic() + queued_seconds
        self._thread = threading.Thread(target=self._drain, name=f"drain {self.name}", daemon=True)
        self._thread.start()

    @property
    def doubt(self) -> str:
        """As for one that is asked."""
        return self._reader.doubt

    def _drain(self) -> None:
        while self._open:
            try:
                line = self.link.read_line()
            except InstrumentError as problem:
                if problem.state == "silent":
                    continue
                with self._lock:
                    self._problem = problem
                if problem.state == "gone":
                    return
                continue
            with self._lock:
                self._came = time.monotonic()
                if self._came >= self._from and line.strip():
                    self._rows.append((self._came, line))

    def samples(self) -> Sequence[Sample]:
        """All that came since the last call. Raises InstrumentError, once what came before the trouble was handed
        on."""
        with self._lock:
            rows = list(self._rows)
            self._rows.clear()
            problem = self._problem if not rows else None
            if problem is not None:
                self._problem = None
            waited = max(SILENT_SECONDS, SILENT_ROWS / self.description.readings_per_second)
            silent = not rows and time.monotonic() - self._came > waited
        if problem is not None:
            raise problem
        if silent:
            raise InstrumentError("silent", tr("{self} sends nothing.", self=self.name))
        found: list[Sample] = []
        for place, (at, line) in enumerate(rows):
            try:
                found += self._reader.answer(line, at)
            except InstrumentError:
                if not found:
                    raise
                with self._lock:
                    self._rows.extendleft(reversed(rows[place:]))
                break
        return found

    def close(self) -> None:
        self._open = False
        self.link.close()


def power_meter_of(description: PowerMeterDescription, link: Link) -> AskedPowerMeter | SendingPowerMeter:
    """Raises InstrumentError where it does not greet as described."""
    return AskedPowerMeter(link, description) if description.manner == "asks" else SendingPowerMeter(link, description)
