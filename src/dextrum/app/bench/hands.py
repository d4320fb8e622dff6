"""The control channel of a simulated bench that runs in another process."""

from __future__ import annotations

import json
import socket
import threading
from collections.abc import Sequence
from contextlib import suppress
from typing import Any

from dextrum.errors import InstrumentError
from dextrum.instruments.protocols import LOOPBACK
from dextrum.tongue import tr

HANDS_TIMEOUT = 5.0


class Hands:
    """The control channel of a bench that runs in another process."""

    def __init__(self, port: int) -> None:
        try:
            self._wire = socket.create_connection((LOOPBACK, port), timeout=HANDS_TIMEOUT)
        except OSError as problem:
            raise InstrumentError("gone", tr("The simulated bench is not there."), tr("Start it again.")) from problem
        self._lines = self._wire.makefile("rw", encoding="ascii")

    def __call__(self, do: str, **what: object) -> dict[str, Any]:
        """Carry out an order. Raises InstrumentError with the bench's own words where it is refused."""
        try:
            self._lines.write(json.dumps({"do": do, **what}) + "\n")
            self._lines.flush()
            told = json.loads(self._lines.readline())
        except (OSError, ValueError) as problem:
            raise InstrumentError("gone", tr("The simulated bench is gone."), tr("Start it again.")) from problem
        if not told.pop("ok"):
            raise InstrumentError("refused", str(told.get("why", tr("It was refused."))), "")
        return dict(told)

    def close(self) -> None:
        self._lines.close()
        self._wire.close()


def ask_for_touch(port: int, one: Sequence[object], other: Sequence[object] | None) -> None:
    """Tell the bench on which ends the program wants the tips: hands that follow set them down there. On a thread of
    its own, and nobody waits: a bench that is gone is said where it is used."""
    def ask() -> None:
        with suppress(InstrumentError):
            hands = Hands(port)
            try:
                hands("asked", at=list(one), **({"to": list(other)} if other else {}))
            finally:
                hands.close()

    threading.Thread(target=ask, name="hands", daemon=True).start()
