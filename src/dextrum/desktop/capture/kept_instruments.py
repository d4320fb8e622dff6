"""What is in use, kept for the next start: who an instrument is and where it hangs shows only once it has answered."""

from __future__ import annotations

from contextlib import suppress

from dextrum.app.bench.instruments_at_hand import InstrumentsAtHand
from dextrum.app.bench.remembered import Remembered, remember
from dextrum.errors import StoreError
from dextrum.store.jobs import JobStore


class KeptInstruments:
    """Nothing is kept before `begin`: what the demo's bench connects is not a choice of anybody's."""

    def __init__(self, store: JobStore, instruments: InstrumentsAtHand) -> None:
        self._store, self._instruments = store, instruments
        self._on, self._last = False, dict[str, Remembered]()

    def begin(self) -> None:
        """Keep what is in use from now on."""
        self._on = True
        self.keep()

    def keep(self) -> None:
        """Write what has changed; where it can't be written, it is tried again at the next turn."""
        used = self._instruments.in_use()
        if self._on and used != self._last:
            with suppress(StoreError):
                remember(self._store, used)
                self._last = used
