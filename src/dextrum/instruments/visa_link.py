"""A link by VISA resource name: serial, USB-TMC or a LAN socket, through PyVISA and its pure-Python backend.

It is imported with the first instrument: the library takes half a second.
"""

from __future__ import annotations

import contextlib
import threading
import warnings
from collections.abc import Mapping
from typing import Any

from dextrum.errors import InstrumentError
from dextrum.tongue import tr

TIMEOUT_SECONDS = 1.0
MOST_LINE = 20_000_000
_lock = threading.Lock()
_manager: Any = None


def _resource_manager() -> Any:
    global _manager
    with _lock:
        if _manager is None:
            import pyvisa

            _manager = pyvisa.ResourceManager("@py")
        return _manager


def resources() -> tuple[str, ...]:
    """Resource names that the system knows of, without asking any of them."""
    with warnings.catch_warnings():
        # The backend says which optional libraries would find more; that is not the technician's trouble.
        warnings.simplefilter("ignore")
        try:
            found = _resource_manager().list_resources("?*")
        except Exception as problem:
            raise InstrumentError("gone", tr("The system can't list instruments ({problem}).",
                                             problem=problem)) from problem
    return tuple(name for name in found if not name.startswith("PRLGX"))


def _set_serial(opened: Any, serial: Mapping[str, str | int]) -> None:
    """Bits, parity and flow of a serial port, where they are said."""
    from pyvisa import constants

    parities = {"none": constants.Parity.none, "even": constants.Parity.even, "odd": constants.Parity.odd}
    flows = {"none": constants.ControlFlow.none, "hardware": constants.ControlFlow.rts_cts,
             "software": constants.ControlFlow.xon_xoff}
    if "data_bits" in serial:
        opened.data_bits = serial["data_bits"]
    if "parity" in serial:
        opened.parity = parities[str(serial["parity"])]
    if "stop_bits" in serial:
        opened.stop_bits = constants.StopBits.two if serial["stop_bits"] == 2 else constants.StopBits.one
    if serial.get("flow", "none") != "none":
        opened.flow_control = flows[str(serial["flow"])]


class VisaLink:
    """resource: a VISA name, such as 'TCPIP::192.168.0.7::5025::SOCKET' or 'ASRL/dev/ttyUSB0::INSTR'."""

    def __init__(self, resource: str, timeout: float = TIMEOUT_SECONDS, baud: int = 9600, ends: str = "\n",
                 ends_sent: str = "\n", serial: Mapping[str, str | int] | None = None) -> None:
        """ends: what ends its lines, ends_sent: ours. serial: data_bits, parity, stop_bits and flow of a serial
        port."""
        self.resource = resource
        self._last = ends[-1].encode("ascii")
        try:
            self._open: Any = _resource_manager().open_resource(
                resource, read_termination=ends[-1], write_termination=ends_sent, timeout=int(1000 * timeout))
            if resource.upper().startswith("ASRL"):
                self._open.baud_rate = baud
                _set_serial(self._open, serial or {})
        except Exception as problem:  # the backend raises its own, the system's and plain ValueErrors
            raise InstrumentError("gone", tr("{resource} can't be opened.",
                                             resource=resource), tr("Is it switched on and plugged in?")
                                  ) from problem

    def write(self, text: str) -> None:
        try:
            self._open.write(text)
        except Exception as problem:
            raise InstrumentError("gone", tr("{resource} is gone.",
                                             resource=self.resource), tr("Plug it in again.")) from problem

    def read_line(self) -> str:
        """One whole line; half a line is never handed on."""
        try:
            raw = self._open.read_raw()
        except Exception as problem:
            if "TMO" in str(problem) or "imeout" in str(problem):
                raise InstrumentError("silent", tr("{resource} doesn't answer.", resource=self.resource)) from problem
            raise InstrumentError("gone", tr("{resource} is gone.",
                                             resource=self.resource), tr("Plug it in again.")) from problem
        if not raw.endswith(self._last):
            raise InstrumentError("silent", tr("{resource} stopped in the middle of a line.", resource=self.resource))
        try:
            return str(raw.decode("ascii")).strip()
        except UnicodeDecodeError as problem:
            raise InstrumentError("babbling", tr("{resource} sends what is no text.", resource=self.resource),
                                  tr("Is its speed set as here?")) from problem

    def close(self) -> None:
        with contextlib.suppress(Exception):  # a wire that is gone can't be closed any better
            self._open.close()
