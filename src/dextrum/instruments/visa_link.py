"""A link by VISA resource name: serial, USB-TMC or a LAN socket, through PyVISA and its pure-Python backend.

It is imported with the first instrument: the library takes half a second.
"""

from __future__ import annotations

import contextlib
import threading
import warnings
from typing import Any

from dextrum.errors import InstrumentError

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
            raise InstrumentError("gone", f"The system can't list instruments ({problem}).") from problem
    return tuple(name for name in found if not name.startswith("PRLGX"))


class VisaLink:
    """resource: a VISA name, such as 'TCPIP::192.168.0.7::5025::SOCKET' or 'ASRL/dev/ttyUSB0::INSTR'."""

    def __init__(self, resource: str, timeout: float = TIMEOUT_SECONDS, baud: int = 9600) -> None:
        self.resource = resource
        try:
            self._open: Any = _resource_manager().open_resource(
                resource, read_termination="\n", write_termination="\n", timeout=int(1000 * timeout))
            if resource.upper().startswith("ASRL"):
                self._open.baud_rate = baud
        except Exception as problem:  # the backend raises its own, the system's and plain ValueErrors
            raise InstrumentError("gone", f"{resource} can't be opened.", "Is it switched on and plugged in?"
                                  ) from problem

    def write(self, text: str) -> None:
        try:
            self._open.write(text)
        except Exception as problem:
            raise InstrumentError("gone", f"{self.resource} is gone.", "Plug it in again.") from problem

    def read_line(self) -> str:
        """One whole line; half a line is never handed on."""
        try:
            raw = self._open.read_raw()
        except Exception as problem:
            if "TMO" in str(problem) or "imeout" in str(problem):
                raise InstrumentError("silent", f"{self.resource} doesn't answer.") from problem
            raise InstrumentError("gone", f"{self.resource} is gone.", "Plug it in again.") from problem
        if not raw.endswith(b"\n"):
            raise InstrumentError("silent", f"{self.resource} stopped in the middle of a line.")
        try:
            return str(raw.decode("ascii")).strip()
        except UnicodeDecodeError as problem:
            raise InstrumentError("babbling", f"{self.resource} sends what is no text.",
                                  "Is its speed set as here?") from problem

    def close(self) -> None:
        with contextlib.suppress(Exception):  # a wire that is gone can't be closed any better
            self._open.close()
