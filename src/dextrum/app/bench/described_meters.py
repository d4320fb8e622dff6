"""Meters by description: those that ship with the program and the shop's own; opening one, and finding which it is."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace
from functools import cache
from pathlib import Path

from dextrum.app.places import shipped
from dextrum.errors import InstrumentError
from dextrum.instruments.described.described_meters import AskedMeter, SendingMeter, meter_of
from dextrum.instruments.described.description import MeterDescription, Wire
from dextrum.instruments.described.resource_names import SCPI_ID, split_resource
from dextrum.instruments.protocols import Link
from dextrum.store.meter_files import FOLDER, meters_in

FIND_SECONDS = 0.5
"""Until one counts as silent in a search: there are many to ask."""
Opener = Callable[[str, Wire], Link]


@cache
def shipped_meters() -> tuple[MeterDescription, ...]:
    """Those that come with the program, the usual manner first."""
    found, _ = meters_in(shipped() / FOLDER)
    return tuple(sorted(found, key=lambda d: (d.id != "scpi-configure", d.manner != "asks", d.id)))


def known_meters(data: Path | None) -> tuple[MeterDescription, ...]:
    """The shop's own first: they were made for what stands on its bench; one of a shipped one's id takes its place."""
    own = meters_in(data / FOLDER)[0] if data is not None else ()
    ids = {d.id for d in own}
    return (*own, *(d for d in shipped_meters() if d.id not in ids))


def visa_opener(resource: str, wire: Wire) -> Link:
    """A link set as the description says. Raises InstrumentError."""
    from dextrum.instruments.visa_link import VisaLink

    return VisaLink(resource, wire.timeout_seconds, wire.baud, wire.ends, wire.ends_sent,
                    {"data_bits": wire.data_bits, "parity": wire.parity, "stop_bits": wire.stop_bits,
                     "flow": wire.flow})


def open_meter(resource: str, data: Path | None, opener: Opener | None = None,
               timeout: float | None = None) -> AskedMeter | SendingMeter:
    """The driver of a multimeter by its name; one that nobody has described speaks SCPI in the usual manner. timeout:
    in place of the description's, in seconds. Raises InstrumentError, also where nothing describes it any more."""
    identity, plain = split_resource(resource)
    description = next((d for d in known_meters(data) if d.id == (identity or SCPI_ID)), None)
    if description is None:
        raise InstrumentError("gone", f"No file describes a meter {identity[:40]!r}.",
                              "Put its file back beside the data, or look for instruments again.")
    wire = description.wire if timeout is None else replace(description.wire, timeout_seconds=timeout)
    link = (opener or visa_opener)(plain, wire)
    try:
        return meter_of(description, link)
    except InstrumentError:
        link.close()
        raise


def which_meter(resource: str, descriptions: Iterable[MeterDescription], opener: Opener = visa_opener) -> tuple[
        MeterDescription, str, str] | None:
    """The description under which a meter proves to be one beyond doubt, its name and serial number; None where it
    proves to be none. Only those that are asked are tried: what sends unasked says nothing of who it is. Raises
    InstrumentError where nothing can be opened."""
    silent: set[Wire] = set()
    for description in descriptions:
        wire = replace(description.wire, timeout_seconds=min(description.wire.timeout_seconds, FIND_SECONDS))
        if description.manner != "asks" or wire in silent:
            continue
        link = opener(resource, wire)
        try:
            try:
                meter = AskedMeter(link, description)
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
