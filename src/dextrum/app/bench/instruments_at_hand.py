"""The instruments that are connected, by kind. Everything here returns at once; threads do the listening."""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from dextrum.errors import ImportRefusedError, InstrumentError, StoreError
from dextrum.instruments.described.resource_names import LINES_ID, named, split_resource
from dextrum.instruments.polling import Clock, InstrumentPoller, InstrumentStatus
from dextrum.instruments.protocols import KIND_WORDS, POWER_METER, SUPPLY
from dextrum.instruments.serial_ports import SERIAL, PluggedInstrument, adapters, permitted
from dextrum.store.files import read_bounded
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.app.bench.remembered import Remembered
    from dextrum.store.jobs import JobStore

CALLED = "instrument.called:"
"""Setting: the shop's own name, by the identity of an instrument."""
HANDS_PORT = "hands"
"""Under this name a bench's state file says where its hands are told what to do."""


def open_driver(kind: str, resource: str, timeout: float = 1.0, data: Path | None = None) -> Any:
    """The driver of an instrument. data: where the shop's own descriptions lie. Raises InstrumentError."""
    from dextrum.app.bench.described_meters import open_meter

    return open_meter(resource, data, timeout=timeout, kind=kind)


@dataclass(frozen=True)
class Found:
    """An instrument that answers."""

    kind: str
    resource: str
    name: str


def unasked_ports(allowed: Iterable[str]) -> tuple[str, ...]:
    """Serial ports that the system lists and that nobody has allowed to be asked. Raises InstrumentError."""
    from dextrum.instruments.visa_link import resources

    may = set(allowed)
    return tuple(one for one in resources() if one.startswith(SERIAL) and one not in may)


def find_instruments(known: Iterable[str] = (), data: Path | None = None,
                     allowed: Iterable[str] = ()) -> tuple[Found, ...]:
    """Ask everything that the system lists, and what is known, what it is. Each must prove it by what only its kind
    answers; nothing is claimed that was not verified. allowed: serial ports that may be asked. Takes seconds. Raises
    InstrumentError."""
    from dextrum.app.bench.described_meters import known_instruments, of_kind, which_meter
    from dextrum.instruments.described.kinds import DESCRIBED
    from dextrum.instruments.visa_link import resources

    found = []
    used = [plain for identity, plain in map(split_resource, known) if identity != LINES_ID]
    may = {*used, *allowed}
    asked = dict.fromkeys((*used, *(one for one in resources() if one in may or not one.startswith(SERIAL))))
    known_here = known_instruments(data)
    descriptions = [one for kind in DESCRIBED for one in of_kind(kind, known_here)]
    for resource in asked:
        try:
            proved = which_meter(resource, descriptions)
        except InstrumentError:
            continue
        if proved is not None:
            description, name, serial = proved
            found.append(Found(description.kind, named(description.id, resource), f"{name} {serial}".strip()))
    return tuple(found)


MOST_STATE_BYTES = 16_000_000
CLOSING_SECONDS = 1.0


def bench_addresses(state: Path) -> dict[str, str]:
    """Resource names by kind of a simulated bench that runs, from its state file; empty where there is none."""
    try:
        told = json.loads(read_bounded(state, MOST_STATE_BYTES).decode("utf-8"))
        return {str(k): str(v) for k, v in told.get("addresses", {}).items() if k in KIND_WORDS}
    except (ImportRefusedError, ValueError, AttributeError, RecursionError):
        return {}


def bench_hands(state: Path) -> int:
    """Port of the hands of a simulated bench that runs, from its state file; 0 where there is none."""
    try:
        told = json.loads(read_bounded(state, MOST_STATE_BYTES).decode("utf-8"))
        return int(told.get(HANDS_PORT, 0))
    except (ImportRefusedError, ValueError, AttributeError, TypeError, RecursionError):
        return 0


def called_here(store: JobStore) -> Callable[[str], str]:
    """The shop's own names of instruments. Where they can't be read an instrument keeps its own."""
    def name_of(identity: str) -> str:
        with suppress(StoreError):
            return store.setting(CALLED + identity)
        return ""

    return name_of


class InstrumentsAtHand:
    """One instrument of each kind is in use; others that answer are named."""

    def __init__(self, clock: Clock = time.monotonic, opener: Callable[[str, str], Any] | None = None,
                 pace: float = 1.0, data: Path | None = None,
                 called: Callable[[str], str] = lambda _identity: "") -> None:
        """opener: of drivers, by kind and resource. data: where the shop's own descriptions of meters lie. called: the
        shop's own name for an instrument by its identity, empty where it has none."""
        self.clock = clock
        self._pace = pace
        self._data = data
        self._called = called
        self._opener = opener or (lambda kind, resource: open_driver(kind, resource, data=data))
        self._pollers: dict[str, InstrumentPoller] = {}
        self._plugged: dict[str, PluggedInstrument] = {}
        self._expected: dict[str, str] = {}
        self.spare: tuple[Found, ...] = ()
        self.allowed: tuple[str, ...] = ()
        self.unasked: tuple[str, ...] = ()

    def connect(self, kind: str, resource: str) -> None:
        """Use this instrument from now on; trouble with it shows in its status."""
        self._connect(kind, PluggedInstrument(resource))

    def connect_again(self, known: Mapping[str, Remembered]) -> None:
        """Use what was in use before, at whichever port it is plugged in now."""
        for kind, one in known.items():
            self._connect(kind, PluggedInstrument(one.resource, one.adapter))
            self._expected[kind] = one.identity

    def _connect(self, kind: str, plugged: PluggedInstrument) -> None:
        self.disconnect(kind)
        self._plugged[kind] = plugged
        self._pollers[kind] = InstrumentPoller(kind, plugged.resource, lambda: self._opened(kind, plugged), self.clock,
                                               self._pace)
        if kind == POWER_METER:
            self._pollers[kind].listen()

    def sampler(self) -> InstrumentPoller | None:
        """What logs volts and amps: the power meter, else a bench supply, which says what it gives."""
        return self._pollers.get(POWER_METER) or self._pollers.get(SUPPLY)

    def _opened(self, kind: str, plugged: PluggedInstrument) -> Any:
        """A driver under its own name: two of one model are told apart by their serial numbers, and so are their
        corrections. Raises InstrumentError."""
        driver = self._opener(kind, plugged.now())
        driver.identity = f"{driver.name} {getattr(driver, 'serial', '')}".strip()
        driver.name = self._called(driver.identity) or driver.identity
        return driver

    def use(self, one: Found) -> None:
        """Use an instrument that answers in place of the one of its kind, which becomes spare."""
        here = self._pollers.get(one.kind)
        before = Found(one.kind, self._plugged[one.kind].resource, here.status.name) if here is not None else None
        self.spare = tuple(s for s in self.spare if s != one) + ((before,) if before is not None else ())
        self.connect(one.kind, one.resource)

    def disconnect(self, kind: str) -> None:
        self._expected.pop(kind, None)
        self._plugged.pop(kind, None)
        poller = self._pollers.pop(kind, None)
        if poller is not None:
            poller.close(wait=False)

    def poller(self, kind: str) -> InstrumentPoller | None:
        return self._pollers.get(kind)

    def statuses(self) -> tuple[InstrumentStatus, ...]:
        return tuple(self._pollers[kind].status for kind in KIND_WORDS if kind in self._pollers)

    def in_use(self) -> dict[str, Remembered]:
        """What is in use, to be remembered. One that has not answered yet is still expected to be who it was."""
        from dextrum.app.bench.remembered import Remembered

        return {kind: Remembered(self._plugged[kind].resource, self._plugged[kind].adapter,
                                 poller.status.identity or self._expected.get(kind, ""))
                for kind, poller in self._pollers.items()}

    def _is_another(self, status: InstrumentStatus) -> bool:
        """Whether another one answers under the name of the one that was in use."""
        return bool(status.identity) and self._expected.get(status.kind, "") not in ("", status.identity)

    def take(self, found: Iterable[Found]) -> None:
        """Connect what was found where nothing of its kind works, before all the one that was in use last; the rest is
        spare."""
        spare = []
        for one in sorted(found, key=lambda f: self._expected.get(f.kind) != f.name):
            here = self._pollers.get(one.kind)
            if here is None or here.status.state == "gone":
                self.connect(one.kind, one.resource)
            elif self._is_another(here.status) and self._expected[one.kind] == one.name:
                spare.append(Found(one.kind, self._plugged[one.kind].resource, here.status.identity))
                self.connect(one.kind, one.resource)
            elif split_resource(self._plugged[one.kind].resource)[1] != split_resource(one.resource)[1]:
                spare.append(one)
        self.spare = tuple({split_resource(one.resource)[1]: one for one in spare}.values())

    def find(self, known: Iterable[str], done: Callable[[tuple[Found, ...] | InstrumentError], None],
             before: Iterable[Remembered] = ()) -> None:
        """Look for instruments on a thread, those in use among them; known: names besides; before: those that were in
        use. `done` is called there."""
        besides = tuple(known)
        in_use = (*self._plugged.values(), *(PluggedInstrument(one.resource, one.adapter) for one in before))

        def look() -> None:
            asked = list(besides)
            for one in in_use:
                with suppress(InstrumentError):  # not plugged in: whatever has its port's name now is not asked
                    asked.append(one.now())
            try:
                allowed = permitted(self.allowed, adapters())
                self.unasked = unasked_ports((*allowed, *asked))
                done(find_instruments(asked, self._data, allowed))
            except InstrumentError as problem:
                done(problem)

        threading.Thread(target=look, name=tr("find instruments"), daemon=True).start()

    def words(self) -> str:
        """What is wrong with any of them, and what is spare; for one quiet line."""
        wrong = [s.words for s in self.statuses() if s.words]
        wrong += [tr("{s} answers where {expected} was.", s=s.name,
                     expected=self._expected[s.kind]) for s in self.statuses()
                  if self._is_another(s)]
        spare = [tr("{kind_words} {s} answers too and is not in use", kind_words=KIND_WORDS[s.kind],
                    s=s.name) for s in self.spare]
        return " ".join((*wrong, *(f"{words}." for words in spare)))

    def close(self) -> None:
        """Tell all to stop, and wait a second for the lot: one that dribbles does not hold the window open."""
        pollers, self._pollers = list(self._pollers.values()), {}
        for poller in pollers:
            poller.close(wait=False)
        until = time.monotonic() + CLOSING_SECONDS
        for poller in pollers:
            poller.join(max(0.0, until - time.monotonic()))
