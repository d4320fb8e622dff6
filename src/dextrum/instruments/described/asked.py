"""An instrument that is asked: its greeting, and its answers without echo and prompt."""

from __future__ import annotations

import time

from dextrum.errors import InstrumentError
from dextrum.instruments.described.wire import Hello, Wire, compiled
from dextrum.instruments.protocols import Link
from dextrum.tongue import tr

NO_SERIAL = "0"
"""IEEE 488.2, 10.14.3: sent in place of a serial number that there isn't."""
MOST_STRAY = 4
"""Lines that may come before an answer: an echo, a prompt, an empty line."""


class AskedInstrument:
    """Says who it is when it is opened; name and serial are what it said."""

    def __init__(self, link: Link, called: str, wire: Wire, hello: Hello) -> None:
        """called: its description's name. Raises InstrumentError where it does not greet as described."""
        self.link, self._called, self._wire, self._hello = link, called, wire, hello
        self._echoes: list[str] = []
        for line in hello.send:
            self.send(line)
        self.name, self.serial = self._greet()

    def _greet(self) -> tuple[str, str]:
        hello = self._hello
        if not hello.ask:
            return self._called, ""
        told = self.ask(hello.ask)
        found = compiled(hello.answers, "answers").fullmatch(told)
        if found is None:
            raise InstrumentError("babbling", tr("'{told}' is not what {called} says.", told=told[:24],
                                                 called=self._called))
        groups = found.groupdict()
        serial = (groups.get("serial") or "").strip()
        return (groups.get("name") or self._called).strip(), "" if serial == NO_SERIAL else serial

    def send(self, text: str) -> None:
        """Raises InstrumentError."""
        self.link.write(text)
        if self._wire.echo:
            self._echoes.append(text.strip())
        if self._wire.pause_seconds:
            time.sleep(self._wire.pause_seconds)

    def ask(self, text: str) -> str:
        """Its answer without echo and prompt. Raises InstrumentError."""
        self.send(text)
        prompt = self._wire.prompt.strip()
        for _ in range(MOST_STRAY + len(self._echoes) + 1):
            line = self.link.read_line().strip()
            while prompt and line.startswith(prompt):
                line = line[len(prompt):].strip()
            if line in self._echoes:
                del self._echoes[:self._echoes.index(line) + 1]  # what was told before has been repeated too
            elif line:
                return line
        raise InstrumentError("silent", tr("{called} doesn't answer.", called=self._called))

    def oldest_error(self) -> str:
        """The oldest in its queue, empty where there is none, or it has no queue. SCPI-99, 21.8.8."""
        if not self._hello.errors:
            return ""
        told = self.ask(self._hello.errors)
        return "" if compiled(self._hello.no_error, "no_error").fullmatch(told) else told

    def close(self) -> None:
        self.link.close()
