"""The trail of a job: typed entries that are never edited, only struck out by a later entry.

Every payload checks its own values when made. `version` is the payload's own; older ones are raised to the
current when read (see store.entries).
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from dextrum.core.board import Method
from dextrum.core.board.bounds import STRICT, one_of, require, short_text
from dextrum.core.board.model import SUPPLY_CLASSES
from dextrum.core.looks import BoardLook, Danger, Look, Swap
from dextrum.core.safety.signs import SIGNS

MOST_VOLTS_DIODE = 5.0
MOST_OHMS = 2e8


def _date(text: str) -> None:
    """Raise ValueError unless the text is empty or an ISO date, with or without a time."""
    try:
        if text:
            datetime.fromisoformat(text)
    except ValueError:
        raise ValueError(f"{text[:20]!r} is not a date; expected one like 2026-05-30 16:00") from None


def local_time(text: str) -> datetime | None:
    """A time as written, in the bench's own clock and without a zone; None for none, or for what is no time."""
    try:
        found = datetime.fromisoformat(text) if text else None
        return found.astimezone().replace(tzinfo=None) if found is not None and found.tzinfo is not None else found
    except (ValueError, OverflowError, OSError):
        return None


@dataclass(frozen=True)
class JobOpened:
    """A unit came to the bench."""

    __pydantic_config__ = STRICT
    serial: str
    model: str
    pack_id: str
    kind: Literal["job_opened"] = "job_opened"

    def __post_init__(self) -> None:
        if not self.serial.strip():
            raise ValueError("the serial is empty; expected what the label says")
        short_text(self.serial, self.model, self.pack_id)


@dataclass(frozen=True)
class Intake:
    """What the owner says, what came along, condition, and when it must be back. The latest one counts.

    signs: of danger, as ticked; None where nobody was asked, and then the words are read for them.
    """

    __pydantic_config__ = STRICT
    complaint: str = ""
    present: tuple[str, ...] = ()
    absent: tuple[str, ...] = ()
    history: str = ""
    came_along: str = ""
    condition: str = ""
    due: str = ""
    signs: tuple[str, ...] | None = None
    kind: Literal["intake"] = "intake"

    def __post_init__(self) -> None:
        for sign in self.signs or ():
            one_of(sign, SIGNS, "sign")
        short_text(self.complaint, self.history, self.came_along, self.condition, self.due)
        _date(self.due)


@dataclass(frozen=True)
class Gear:
    """A supply, cable or dock that was used. proved_on: the day it last proved good, empty when it never did."""

    __pydantic_config__ = STRICT
    kind: Literal["supply", "cable", "dock"]
    name: str
    proved_on: str = ""

    def __post_init__(self) -> None:
        if not self.name.strip():
            raise ValueError(f"the {self.kind} has no name; expected what its label says")
        short_text(self.name)
        _date(self.proved_on)


Orientation = Literal["a", "b"]
SwitchedOn = Literal["", "on", "off"]
PlugPosition = Literal["resting", "pushed", "hanging"]


def _known_class(name: str) -> None:
    if name:
        one_of(name, SUPPLY_CLASSES, "supply_class")


@dataclass(frozen=True)
class Supply:
    """What the power meter showed. orientation: plug's A or B side up; minute: since plugging in.

    named: the id of a state of the profile, when the technician called it by its name instead of typing numbers.
    supply_class: empty for the board's usual one. supply_proved: false when a part of the gear never proved good.
    """

    __pydantic_config__ = STRICT
    orientation: Orientation
    volts: float
    amps: float
    minute: float = 0.0
    pattern: Literal["steady", "blinking"] = "steady"
    supply_proved: bool = True
    switched: SwitchedOn = ""
    position: PlugPosition = "resting"
    supply_class: str = ""
    gear: tuple[Gear, ...] = ()
    named: str = ""
    kind: Literal["supply"] = "supply"

    def __post_init__(self) -> None:
        require(self.volts, 0.0, 50.0, "volts")
        require(self.amps, 0.0, 10.0, "amps")
        require(self.minute, 0.0, 100_000.0, "minute")
        _known_class(self.supply_class)


MOST_PACKED_CHARACTERS = 40_000_000


@dataclass(frozen=True)
class DrawTrace:
    """Volts and amps over time, from a file or a live meter. samples: packed, see core.draw.samples; count: how many.

    refused: rows of the source that could not be read; missing: samples that the source left out.
    """

    __pydantic_config__ = STRICT
    orientation: Orientation
    samples: str
    count: int
    seconds: float
    source: str = ""
    refused: int = 0
    missing: int = 0
    supply_proved: bool = True
    switched: SwitchedOn = ""
    position: PlugPosition = "resting"
    supply_class: str = ""
    gear: tuple[Gear, ...] = ()
    kind: Literal["draw_trace"] = "draw_trace"

    def __post_init__(self) -> None:
        if self.count < 1:
            raise ValueError("the trace has no sample; expected at least one")
        require(self.seconds, 0.0, 1e8, "seconds")
        if len(self.samples) > MOST_PACKED_CHARACTERS:
            raise ValueError(f"samples of {len(self.samples)} characters; expected at most {MOST_PACKED_CHARACTERS}")
        _known_class(self.supply_class)
        short_text(self.source)


@dataclass(frozen=True)
class Cell:
    """The cell's place: unplugged, the unit's own plugged in, a known-good one swapped in, or a new one fitted."""

    __pydantic_config__ = STRICT
    state: Literal["unplugged", "plugged", "known_good", "new"]
    kind: Literal["cell"] = "cell"


@dataclass(frozen=True)
class Access:
    """How far the unit is open now."""

    __pydantic_config__ = STRICT
    level: str
    kind: Literal["access"] = "access"


@dataclass(frozen=True)
class PointReading:
    """One point's value in volts or ohms; inf for OL."""

    __pydantic_config__ = STRICT
    point: str
    value: float
    wavering: bool = False


@dataclass(frozen=True)
class Readings:
    """Readings of one method and one meter; one when typed, all contacts at once from a tester.

    test_milliamps: of the meter, where it is known. turned: the tester or breakout sat in the port the other way up;
    points are the port's own contacts all the same.
    """

    __pydantic_config__ = STRICT
    method: Method
    readings: tuple[PointReading, ...]
    meter: str = ""
    board_celsius: float | None = None
    test_milliamps: float | None = None
    turned: bool = False
    kind: Literal["readings"] = "readings"

    def __post_init__(self) -> None:
        if not self.readings:
            raise ValueError("no reading; expected at least one")
        limit = MOST_VOLTS_DIODE if self.method.is_diode else MOST_OHMS
        for reading in self.readings:
            if reading.value != float("inf"):
                require(reading.value, 0.0, limit, f"{reading.point} in {self.method.unit}")
        if self.board_celsius is not None:
            require(self.board_celsius, -40.0, 125.0, "board_celsius")
        if self.test_milliamps is not None:
            require(self.test_milliamps, 0.001, 100.0, "test_milliamps")


@dataclass(frozen=True)
class Isolation:
    """Loads taken off the board to measure without them, or put back: a connector unplugged, a part or a pin lifted.

    parts: 'PART', or 'PART.TERMINAL' for one pin.
    """

    __pydantic_config__ = STRICT
    parts: tuple[str, ...]
    state: Literal["off", "back"] = "off"
    note: str = ""
    kind: Literal["isolation"] = "isolation"

    def __post_init__(self) -> None:
        if not self.parts or not all(part.strip() for part in self.parts):
            raise ValueError("no part is named; expected a designator")
        short_text(self.note, *self.parts)


@dataclass(frozen=True)
class RailVolts:
    """Volts on a rail with power at the port, plug this way up. rail: of the pack's rail checks."""

    __pydantic_config__ = STRICT
    rail: str
    volts: float
    orientation: Orientation
    kind: Literal["rail_volts"] = "rail_volts"

    def __post_init__(self) -> None:
        if not self.rail:
            raise ValueError("no rail is named; expected one of the rails that can be checked under power")
        require(self.volts, 0.0, 60.0, "volts")


@dataclass(frozen=True)
class Injection:
    """Voltage put on a rail with a current limit, to see what warms. warmed: the part, empty when nothing did."""

    __pydantic_config__ = STRICT
    net: str
    volts: float
    amps: float
    warmed: str = ""
    seen_by: Literal["camera", "spray", "alcohol", "touch"] = "camera"
    kind: Literal["injection"] = "injection"

    def __post_init__(self) -> None:
        if not self.net:
            raise ValueError("no rail is named; expected the one that was injected into")
        require(self.volts, 0.001, 30.0, "volts")
        require(self.amps, 0.001, 20.0, "amps")


HOT_ACTIONS = ("replace", "reflow", "wire")
"""What is done to a part with heat."""
AUDIT_STEPS = ("counted", "bridges", "flux")
"""What is checked after heat: small parts counted against the list made before, no bridges, flux off."""


@dataclass(frozen=True)
class Rework:
    """Something done to a part. audit: what was checked round it afterwards."""

    __pydantic_config__ = STRICT
    action: Literal["replace", "reflow", "wire", "clean"]
    part: str
    source: str = ""
    audit: tuple[str, ...] = ()
    note: str = ""
    kind: Literal["rework"] = "rework"

    def __post_init__(self) -> None:
        if not self.part:
            raise ValueError("no part is named; expected a designator")
        short_text(self.source, self.note)


@dataclass(frozen=True)
class Audit:
    """What was checked round the reworked parts after the rework had been written down. checked: of AUDIT_STEPS."""

    __pydantic_config__ = STRICT
    checked: tuple[str, ...]
    note: str = ""
    kind: Literal["audit"] = "audit"

    def __post_init__(self) -> None:
        if not self.checked:
            raise ValueError("nothing is ticked; expected at least one step of the audit")
        for step in self.checked:
            one_of(step, AUDIT_STEPS, "step")
        short_text(self.note)


@dataclass(frozen=True)
class Cause:
    """What blew the part, or that nobody can tell and it was waived."""

    __pydantic_config__ = STRICT
    what: Literal["supply", "dock", "force", "liquid", "unknown"]
    advice: str = ""
    kind: Literal["cause"] = "cause"

    def __post_init__(self) -> None:
        short_text(self.advice)


@dataclass(frozen=True)
class Proof:
    """One check before hand-over."""

    __pydantic_config__ = STRICT
    check: str
    passed: bool
    note: str = ""
    kind: Literal["proof"] = "proof"

    def __post_init__(self) -> None:
        short_text(self.note)


@dataclass(frozen=True)
class Wait:
    """The job waits until a time, for a reason."""

    __pydantic_config__ = STRICT
    why: str
    until: str = ""
    kind: Literal["wait"] = "wait"

    def __post_init__(self) -> None:
        short_text(self.why)
        _date(self.until)


@dataclass(frozen=True)
class Outcome:
    """How the job ended."""

    __pydantic_config__ = STRICT
    result: Literal["repaired", "no_fault", "returned", "donor"]
    note: str = ""
    kind: Literal["outcome"] = "outcome"

    def __post_init__(self) -> None:
        short_text(self.note)


@dataclass(frozen=True)
class Override:
    """A gate was passed, with the reason."""

    __pydantic_config__ = STRICT
    gate: str
    reason: str
    kind: Literal["override"] = "override"

    def __post_init__(self) -> None:
        if not self.reason.strip():
            raise ValueError("the reason is empty; expected a few words")
        short_text(self.reason)


@dataclass(frozen=True)
class Strike:
    """An earlier entry no longer counts; striking a strike brings the entry back."""

    __pydantic_config__ = STRICT
    entry: str
    reason: str = ""
    kind: Literal["strike"] = "strike"

    def __post_init__(self) -> None:
        short_text(self.reason)


Payload = (JobOpened | Intake | Look | BoardLook | Danger | Swap | Supply | DrawTrace | Cell | Access | Readings
           | Isolation | RailVolts | Injection | Rework | Audit | Cause | Proof | Wait | Outcome | Override | Strike)


@dataclass(frozen=True)
class Entry:
    """A payload with who and when. id is unique over all benches; at is UTC."""

    id: str
    at: datetime
    who: str
    payload: Payload


def struck_ids(entries: Iterable[Entry]) -> frozenset[str]:
    """Ids of entries that no longer count. A struck strike counts no more itself."""
    struck: set[str] = set()
    for entry in reversed(tuple(entries)):
        if isinstance(entry.payload, Strike) and entry.id not in struck:
            struck.add(entry.payload.entry)
    return frozenset(struck)


def standing(entries: Iterable[Entry]) -> tuple[Entry, ...]:
    """Entries that count, in order, without the strikes themselves."""
    entries = tuple(entries)
    struck = struck_ids(entries)
    return tuple(e for e in entries if e.id not in struck and not isinstance(e.payload, Strike))


def put_back(isolated: frozenset[str], part: str) -> frozenset[str]:
    """What is off once a part is on the board again, all its pins."""
    return frozenset(a for a in isolated if a.partition(".")[0] != part)


def with_isolation(isolated: frozenset[str], change: Isolation) -> frozenset[str]:
    """What is off after an isolation entry. A whole part put back brings its pins along."""
    if change.state == "off":
        return isolated | frozenset(change.parts)
    for part in change.parts:
        isolated = put_back(isolated, part) if "." not in part else isolated - {part}
    return isolated
