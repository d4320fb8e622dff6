"""Serial ports by the adapter that hangs on them: a port gets another name with every plugging, the adapter's serial
number stays.

Nothing is sent to a port here: the numbers come from the system's own list of devices.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from dextrum.errors import InstrumentError
from dextrum.instruments.described.resource_names import split_resource
from dextrum.tongue import tr

SERIAL = "ASRL"
"""How resource names of serial ports begin: what hangs on one need be no instrument, so it is asked only where that is
allowed."""
INSTRUMENT_ENDING = "::INSTR"
ADAPTER_MARK = "|"
"""Between a port's name and its adapter's number, where a permission is kept."""


def adapters() -> dict[str, str]:
    """Number of the adapter by resource name, of the ports that are plugged in now; ports whose adapter has no serial
    number of its own are left out, since nothing tells one such from another."""
    from serial.tools import list_ports

    return {f"{SERIAL}{port.device}{INSTRUMENT_ENDING}": f"USB {port.vid:04x}:{port.pid:04x} {port.serial_number}"
            for port in list_ports.comports() if port.vid is not None and port.pid is not None and port.serial_number}


def permission(resource: str, plugged: Mapping[str, str]) -> str:
    """How the permission to ask a port is kept: with the number of what hangs on it, where that has one."""
    number = plugged.get(resource, "")
    return f"{resource}{ADAPTER_MARK}{number}" if number else resource


def permitted(kept: Iterable[str], plugged: Mapping[str, str]) -> tuple[str, ...]:
    """Ports that may be asked now: an adapter that was allowed, wherever it is plugged in; a port without a number only
    as long as nothing that has one hangs there."""
    found: dict[str, None] = {}
    for one in kept:
        resource, _, number = one.partition(ADAPTER_MARK)
        if number:
            found.update((port, None) for port, here in plugged.items() if here == number)
        elif resource not in plugged:
            found[resource] = None
    return tuple(found)


@dataclass
class PluggedInstrument:
    """A remembered instrument that is followed from port to port.

    resource: its name, with its description; adapter: number of the adapter it hung on when it was last opened, empty
    before that and for whatever is no serial port.
    """

    resource: str
    adapter: str = ""

    def now(self) -> str:
        """Its name as it is plugged in now. Raises InstrumentError where its adapter is not plugged in: another one
        under its port's name is not asked."""
        plain = split_resource(self.resource)[1]
        if not plain.upper().startswith(SERIAL):
            return self.resource
        plugged = adapters()
        if not self.adapter:
            self.adapter = plugged.get(plain, "")
        elif plugged.get(plain) != self.adapter:
            ports = [port for port, number in plugged.items() if number == self.adapter]
            if not ports:
                raise InstrumentError("gone", tr("Its adapter is not plugged in."), tr("Plug it in, at any socket."))
            self.resource = self.resource.removesuffix(plain) + ports[0]
        return self.resource
