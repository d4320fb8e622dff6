"""Instruments by description: those that ship with the program and the shop's own; opening one, and finding which it
is."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import cache
from pathlib import Path
from typing import Any

from dextrum.app.places import shipped
from dextrum.errors import InstrumentError
from dextrum.instruments.described.description import MeterDescription
from dextrum.instruments.described.kinds import DESCRIBED, Description, driver_of
from dextrum.instruments.described.resource_names import CHANNEL_MARK, split_resource
from dextrum.instruments.described.wire import Wire
from dextrum.instruments.protocols import KIND_WORDS, MULTIMETER, Link
from dextrum.store.meter_files import FOLDER, meters_in
from dextrum.tongue import tr

FIND_SECONDS = 0.5
"""Until one counts as silent in a search: there are many to ask."""
Opener = Callable[[str, Wire], Link]


@cache
def shipped_descriptions() -> tuple[Description, ...]:
    """Those that come with the program, by kind, the usual manner first."""
    found, _ = meters_in(shipped() / FOLDER)
    kinds = list(DESCRIBED)
    return tuple(sorted(found, key=lambda d: (kinds.index(d.kind), d.id != DESCRIBED[d.kind].first, not _asks(d),
                                              d.id)))


def _asks(description: Description) -> bool:
    return getattr(description, "manner", "asks") == "asks"


def known_instruments(data: Path | None) -> tuple[Description, ...]:
    """The shop's own first: they were made for what stands on its bench; one of a shipped one's id takes its place."""
    own = meters_in(data / FOLDER)[0] if data is not None else ()
    ids = {d.id for d in own}
    return (*own, *(d for d in shipped_descriptions() if d.id not in ids))


def of_kind(kind: str, descriptions: Iterable[Description]) -> tuple[Description, ...]:
    """Those of one kind, in their order."""
    return tuple(d for d in descriptions if d.kind == kind)


def shipped_meters() -> tuple[MeterDescription, ...]:
    """Of multimeters, those that come with the program."""
    return tuple(d for d in shipped_descriptions() if isinstance(d, MeterDescription))


def known_meters(data: Path | None) -> tuple[MeterDescription, ...]:
    """Of multimeters, the shop's own first."""
    return tuple(d for d in known_instruments(data) if isinstance(d, MeterDescription))


def visa_opener(resource: str, wire: Wire) -> Link:
    """A link set as the description says. Raises InstrumentError."""
    from dextrum.instruments.visa_link import VisaLink

    return VisaLink(resource, wire.timeout_seconds, wire.baud, wire.ends, wire.ends_sent,
                    {"data_bits": wire.data_bits, "parity": wire.parity, "stop_bits": wire.stop_bits,
                     "flow": wire.flow})


def open_meter(resource: str, data: Path | None, opener: Opener | None = None, timeout: float | None = None,
               kind: str = MULTIMETER) -> Any:
    """The driver of an instrument by its name; one that nobody has described speaks in the usual manner of its kind.
    timeout: in place of the description's, in seconds. Raises InstrumentError, also where nothing describes it any
    more."""
    named_as, plain = split_resource(resource)
    identity, _, channel = named_as.partition(CHANNEL_MARK)
    wanted = identity or DESCRIBED[kind].first
    description = next((d for d in of_kind(kind, known_instruments(data)) if d.id == wanted), None)
    if description is None:
        raise InstrumentError("gone", tr("No file describes a {kind_words} {identity!r}.", kind_words=KIND_WORDS[kind],
                                         identity=identity[:40]),
                              tr("Put its file back beside the data, or look for instruments again."))
    wire = description.wire if timeout is None else replace(description.wire, timeout_seconds=timeout)
    link = (opener or visa_opener)(plain, wire)
    try:
        return driver_of(description, link, channel)
    except InstrumentError:
        link.close()
        raise


def which_meter(resource: str, descriptions: Iterable[Description], opener: Opener = visa_opener) -> tuple[
        Description, str, str] | None:
    """The description under which an instrument proves to be one beyond doubt, its name and serial number; None where
    it proves to be none. Only those that are asked are tried: what sends unasked says nothing of who it is. Raises
    InstrumentError where nothing can be opened."""
    silent: set[Wire] = set()
    for description in descriptions:
        wire = replace(description.wire, timeout_seconds=min(description.wire.timeout_seconds, FIND_SECONDS))
        if not _asks(description) or not getattr(description, "found", True) or wire in silent:
            continue
        link = opener(resource, wire)
        try:
            try:
                meter = driver_of(description, link)
            except InstrumentError as problem:
                if problem.state == "silent":
                    silent.add(wire)  # it says nothing at this speed: no other manner of speaking helps
                raise
            meter.verify()
        except InstrumentError as problem:
            if problem.state == "gone":
                raise
            continue
        finally:
            link.close()
        return description, meter.name, meter.serial
    return None
