"""Meters by description: those that ship with the program and the shop's own; opening one, and finding which it is."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from functools import cache
from pathlib import Path

from dextrum.app.places import shipped
from dextrum.errors import InstrumentError
from dextrum.instruments.described.described_meters import AskedMeter, SendingMeter, meter_of
from dextrum.instruments.described.description import MeterDescription, Wire
from dextrum.instruments.protocols import Link
from dextrum.store.meter_files import FOLDER, meters_in

METER_PREFIX = "METER:"
"""Before the id of a description, a colon, and the resource name of a meter that is described by a file."""
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


def split_resource(resource: str) -> tuple[str, str]:
    """Id of the description and the plain resource name of one with METER_PREFIX."""
    identity, _, plain = resource.removeprefix(METER_PREFIX).partition(":")
    return identity, plain


def open_meter(resource: str, data: Path | None, opener: Opener = visa_opener) -> AskedMeter | SendingMeter:
    """The driver of a described meter. Raises InstrumentError, also where nothing describes it any more."""
    identity, plain = split_resource(resource)
    description = next((d for d in known_meters(data) if d.id == identity), None)
    if description is None:
        raise InstrumentError("gone", f"No file describes a meter {identity[:40]!r}.",
                              "Put its file back beside the data, or look for instruments again.")
    link = opener(plain, description.wire)
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
        if description.manner != "asks" or description.wire in silent:
            continue
        link = opener(resource, description.wire)
        try:
            meter = AskedMeter(link, description)
            meter.verify()
        except InstrumentError as problem:
            if problem.state == "gone":
                raise
            if problem.state == "silent" and description.hello.ask and not _greets(resource, description, opener):
                silent.add(description.wire)  # it says nothing at this speed: no other manner of speaking helps
            continue
        finally:
            link.close()
        return description, meter.name, meter.serial
    return None


def _greets(resource: str, description: MeterDescription, opener: Opener) -> bool:
    """Whether it answers anything at all to the greeting."""
    link = opener(resource, description.wire)
    try:
        link.write(description.hello.ask)
        return bool(link.read_line())
    except InstrumentError:
        return False
    finally:
        link.close()
