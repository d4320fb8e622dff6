"""A stream written down as it comes, so that a crash loses no more than the last half second of it."""

from __future__ import annotations

import fcntl
import json
import os
import time
import uuid
from collections.abc import Callable, Sequence
from concurrent.futures import Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from math import isfinite
from pathlib import Path
from typing import Any

import numpy as np

from dextrum.errors import StoreError, why_not
from dextrum.tongue import tr

SYNC_SECONDS = 0.5
SUFFIX = ".live.csv"


class LiveJournal:
    """header: whatever is needed to record the stream later. Raises StoreError where it can't be written."""

    def __init__(self, folder: Path, header: dict[str, Any], clock: Callable[[], float] = time.monotonic) -> None:
        self.path = folder / f"{uuid.uuid4().hex}{SUFFIX}"
        self._clock = clock
        self._synced = clock()
        # The disk may take its time; whoever hands samples over doesn't wait for it.
        self._disk = ThreadPoolExecutor(max_workers=1, thread_name_prefix="journal")
        self._syncing: Future[None] | None = None
        try:
            self._file = self.path.open("w", encoding="ascii")
            fcntl.flock(self._file, fcntl.LOCK_EX)  # while it is held, no other window takes it for a left-over
            self._file.write(json.dumps(header) + "\n")
            self._file.flush()
            os.fsync(self._file.fileno())
        except OSError as problem:
            raise StoreError(tr("The stream can't be written down ({why}).", why=why_not(problem)), "",
                             tr("Is there room on the disk?")) from problem

    def add(self, samples: Sequence[tuple[float, float, float]]) -> None:
        """Seconds, volts, amps: with the system at once, so that a crash of the program loses nothing of them, and on
        the disk half a second later at most, as long as more come."""
        if not samples:
            return
        try:
            self._file.writelines(f"{t:.4f},{v:.4f},{a:.4f}\n" for t, v, a in samples)
            self._file.flush()
            if self._clock() - self._synced >= SYNC_SECONDS and (self._syncing is None or self._syncing.done()):
                if self._syncing is not None:
                    self._syncing.result()
                self._synced = self._clock()
                self._syncing = self._disk.submit(os.fsync, self._file.fileno())
        except OSError as problem:
            raise StoreError(tr("The stream can't be written down any more ({why}).", why=why_not(problem)),
                             tr("What is on the screen goes on."), tr("Is there room on the disk?")) from problem

    def done(self) -> None:
        """The stream is recorded elsewhere: take the journal away."""
        self._disk.shutdown()
        self._file.close()
        self.path.unlink(missing_ok=True)

    def keep(self) -> None:
        """Close it and leave it for the next start."""
        self._disk.shutdown()
        with suppress(OSError):
            self._file.flush()
            os.fsync(self._file.fileno())
        self._file.close()


@dataclass(frozen=True)
class LeftOver:
    """A stream that was never recorded. seconds, volts, amps: (N,), finite; dropped: samples and lines that were
    not."""

    path: Path
    header: dict[str, Any]
    seconds: np.ndarray
    volts: np.ndarray
    amps: np.ndarray
    dropped: int = 0


def left_over(folder: Path) -> tuple[LeftOver, ...]:
    """Streams that a crash has left; half a last line is dropped. A file that is no journal is left alone."""
    found = []
    for path in sorted(folder.glob(f"*{SUFFIX}")):
        try:
            with path.open(encoding="ascii") as file:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                head, *lines = file.read().split("\n")
            header = json.loads(head)
        except (OSError, ValueError):
            continue
        rows: list[tuple[float, float, float]] = []
        dropped = 0
        for line in lines[:-1]:  # what stands after the last end of line is half a line, or nothing
            try:
                t, v, a = (float(part) for part in line.split(","))
            except ValueError:
                dropped += 1
                continue
            if all(map(isfinite, (t, v, a))) and (not rows or t > rows[-1][0]):
                rows.append((t, v, a))
            else:
                dropped += 1
        seconds, volts, amps = np.array(rows, dtype=float).reshape(-1, 3).T
        found.append(LeftOver(path, header, seconds, volts, amps, dropped))
    return tuple(found)
