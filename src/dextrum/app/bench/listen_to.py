"""An unknown meter listened to: at which speed it makes sense, and what it sends at each touch."""

from __future__ import annotations

import contextlib
import re
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

from dextrum.app.bench.described_meters import Opener, known_instruments, known_meters, visa_opener, which_meter
from dextrum.errors import EntryRefusedError, InstrumentError
from dextrum.instruments.described.description import MeterDescription
from dextrum.instruments.described.listening import BAUDS, ENDS, Heard, Made, described_from, sense_of
from dextrum.instruments.described.wire import Wire
from dextrum.instruments.protocols import Link
from dextrum.store.files import write_beside
from dextrum.store.meter_files import FOLDER, read_meter, toml_of
from dextrum.tongue import tr

SPEED_SECONDS = 1.2
"""Of listening at each speed: a meter that sends twice a second is heard."""
MAKES_SENSE = 0.6
KEPT_LINES = 400
GREETING = "*IDN?"
"""IEEE 488.2, 10.14: who are you."""
MOST_ANSWER_LINES = 5
PROMPT_MARKS = ">=#:$ "
PROMPT = re.compile(r"[>=#:$]{1,3}\s*(?=\S|$)")
"""What stands before an answer of an instrument that says it is ready for more."""
SHORT_TIMEOUT = 0.3
TOUCHES = (("shorted", tr("Short the probes and hold them")), ("opened", tr("Hold the probes apart, touching nothing")),
           ("diode", tr("Red on a diode's anode, black on its cathode, and hold")))
TOUCH_SECONDS = 2.5


class Ear:
    """Takes lines off a wire as they come, with their times; what can't be read is left out."""

    def __init__(self, link: Link) -> None:
        self._link = link
        self._lines: deque[tuple[float, str]] = deque(maxlen=KEPT_LINES)
        self._open = True
        self._thread = threading.Thread(target=self._listen, name=tr("listen to a meter"), daemon=True)
        self._thread.start()

    def _listen(self) -> None:
        while self._open:
            try:
                line = self._link.read_line()
            except InstrumentError as problem:
                if problem.state == "gone":
                    return
                if problem.state == "babbling":
                    self._lines.append((time.monotonic(), "\x00"))
                time.sleep(0.005)  # a wire that fails at once must not take all of the machine
                continue
            self._lines.append((time.monotonic(), line))

    def since(self, moment: float) -> tuple[str, ...]:
        """Lines that came after a moment of the monotonic clock."""
        return tuple(line for at, line in list(self._lines) if at >= moment and line)

    @property
    def last(self) -> str:
        """The last line that came; empty before any."""
        return self._lines[-1][1] if self._lines else ""

    def close(self) -> None:
        self._open = False
        with contextlib.suppress(InstrumentError):
            self._link.close()


@dataclass(frozen=True)
class Recognised:
    """What a meter is by how it answers: wire and some lines of one that sends unasked; or the description that it
    proves to be, with its name."""

    wire: Wire
    lines: tuple[str, ...] = ()
    description: str = ""
    name: str = ""


def wires_of(resource: str) -> tuple[Wire, ...]:
    """Ways to listen: every speed of a serial port, with both ends of lines; of others the ends alone."""
    bauds = BAUDS if resource.upper().startswith("ASRL") else BAUDS[:1]
    return tuple(Wire(baud=baud, ends=ends, timeout_seconds=SHORT_TIMEOUT) for baud in bauds for ends in ENDS)


def recognise(resource: str, data: Path | None, opener: Opener = visa_opener,
              told: Callable[[float], bool] = lambda _share: True, seconds: float = SPEED_SECONDS) -> Recognised:
    """Listen at every speed, then ask. May take half a minute: call it off the window's thread. Raises InstrumentError
    where nothing makes sense, or it was stopped."""
    wires = wires_of(resource)
    best: tuple[float, Wire, tuple[str, ...]] = (0.0, wires[0], ())
    for place, wire in enumerate(wires):
        if not told(0.8 * place / len(wires)):
            raise InstrumentError("gone", tr("Stopped listening."), "")
        ear, began = Ear(opener(resource, wire)), time.monotonic()
        time.sleep(seconds)
        lines = ear.since(began)
        ear.close()
        sense = sense_of(lines) if len(lines) >= 2 else 0.0
        if sense > best[0]:
            best = sense, wire, lines
        if best[0] > 0.95 and len(best[2]) >= 2:
            break
    if best[0] >= MAKES_SENSE:
        return Recognised(best[1], best[2])
    found = which_meter(resource, known_meters(data), opener)
    if found is not None:
        description, name, _ = found
        return Recognised(description.wire, (), description.id, name)
    spoken = _asked_at_every_speed(resource, data, opener, told)
    if spoken is not None:
        return spoken
    raise InstrumentError("silent", tr("It sends nothing unasked, and answers no question that is known."),
                          tr("Set it to send; or describe it in a file, see the guide."))


def _asked_at_every_speed(resource: str, data: Path | None, opener: Opener, told: Callable[[float], bool]) -> (
        Recognised | None):
    """One that answers at another speed, repeats what it is told, or stands behind a prompt: a shipped manner of
    speaking over another wire, which becomes a description of the shop's own. None where nothing answers."""
    wires = wires_of(resource)
    for place, wire in enumerate(wires):
        if not told(0.8 + 0.2 * place / len(wires)):
            raise InstrumentError("gone", tr("Stopped listening."), "")
        try:
            link = opener(resource, wire)
        except InstrumentError:
            continue
        try:
            answers = [_lines_to(link, GREETING) for _ in range(2)]
        finally:
            link.close()
        if not answers[0] or not answers[1]:
            continue
        spoken = wire_spoken(wire, answers)
        if spoken == Wire(timeout_seconds=SHORT_TIMEOUT):
            continue  # the usual wire was tried already
        spoken = replace(spoken, timeout_seconds=Wire().timeout_seconds)
        found = which_meter(resource, tuple(replace(one, wire=spoken) for one in known_meters(data)
                                            if one.manner == "asks"), opener)
        if found is not None and isinstance(found[0], MeterDescription):
            ends = "cr" if spoken.ends == "\r" else "lf"
            own = replace(found[0], id=f"{found[0].id}-{spoken.baud}-{ends}"[:40],
                          words=tr("Found by asking at every speed."))
            if data is not None:
                keep_description(Made(own, ()), data, over=True)
            return Recognised(spoken, (), own.id, found[1])
    return None


def _lines_to(link: Link, question: str) -> tuple[str, ...]:
    """What comes to a question until it is silent."""
    found: list[str] = []
    with contextlib.suppress(InstrumentError):
        link.write(question)
        while len(found) < MOST_ANSWER_LINES:
            found.append(link.read_line().strip())
    return tuple(found)


def wire_spoken(wire: Wire, answers: Sequence[Sequence[str]]) -> Wire:
    """The wire with echo and prompt as the answers to the same question, asked twice, show them. A prompt that stands
    alone at the end comes before the next answer."""
    echo = any(line.lstrip(PROMPT_MARKS).strip() == GREETING for line in answers[1])
    prompts = [found.group().strip() for line in answers[1] if (found := PROMPT.match(line)) is not None]
    return replace(wire, echo=echo, prompt=prompts[0] if prompts else "")


def made_from(touches: dict[str, tuple[str, ...]], wire: Wire, name: str) -> Made:
    """The description from three touches. Raises InstrumentError."""
    plain = " ".join(name.split())[:40] or "meter"
    identity = re.sub(r"[^a-z0-9]+", "-", plain.casefold()).strip("-")[:40] or "meter"
    rate = max(0.2, min(50.0, len(touches["diode"]) / TOUCH_SECONDS))
    heard = Heard(touches["shorted"], touches["opened"], touches["diode"])
    return described_from(heard, Wire(wire.baud, ends=wire.ends), identity, plain, round(rate, 1))


def keep_description(made: Made, data: Path, over: bool = False) -> Path:
    """Write a description beside the shop's data. Raises FileStandsError, ImportRefusedError."""
    folder = data / FOLDER
    folder.mkdir(mode=0o700, exist_ok=True)
    place = folder / f"{made.description.id}.toml"
    write_beside(place, toml_of(made.description).encode("ascii"), over)
    return place


def take_in_description(path: Path, data: Path, over: bool = False) -> str:
    """A description somebody shared, checked and kept beside the shop's data; its name. Raises ImportRefusedError,
    FileStandsError."""
    description = read_meter(path)
    folder = data / FOLDER
    folder.mkdir(mode=0o700, exist_ok=True)
    write_beside(folder / f"{description.id}.toml", toml_of(description).encode("ascii"), over)
    return description.name


def described_text(identity: str, data: Path | None) -> str:
    """A description as its file, to be shared. Raises EntryRefusedError for none of that id."""
    found = next((d for d in known_instruments(data) if d.id == identity), None)
    if found is None:
        raise EntryRefusedError(tr("No instrument is described as {identity!r}.",
                                   identity=identity[:40]), tr("Nothing was written."), "")
    return toml_of(found)

