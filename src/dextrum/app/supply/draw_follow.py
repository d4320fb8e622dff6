"""A CSV that a meter's logger still writes to: its new rows, as they come."""

from __future__ import annotations

import csv
from dataclasses import dataclass, field
from pathlib import Path

from dextrum.errors import ImportRefusedError, why_not
from dextrum.store.draw_csv import RowReader
from dextrum.store.draw_csv_look import ColumnMap, CsvLook
from dextrum.tongue import tr

MOST_AT_ONCE = 1_000_000
MOST_ROWS_AT_ONCE = 2_000


@dataclass
class FollowedFile:
    """Reads what was added since the last look. refused: rows that could not be read."""

    look: CsvLook
    columns: ColumnMap
    refused: int = 0
    _place: int = 0
    _line: int = 0
    _rest: bytes = b""
    _first: float | None = None
    _last: float = -1.0
    _waiting: list[tuple[float, float, float]] = field(default_factory=list)

    def __post_init__(self) -> None:
        self._reader = RowReader(self.look.shape, self.columns)

    @property
    def path(self) -> Path:
        return self.look.path

    def new_samples(self) -> list[tuple[float, float, float]]:
        """Seconds since the first row, volts, amps; at most a few thousand at once. Rows out of order are refused.

        Raises ImportRefusedError when the file is gone or has become shorter.
        """
        if not self._waiting:
            self._read()
        taken, self._waiting = self._waiting[:MOST_ROWS_AT_ONCE], self._waiting[MOST_ROWS_AT_ONCE:]
        return taken

    def _read(self) -> None:
        try:
            with self.path.open("rb") as file:
                size = file.seek(0, 2)
                if size < self._place:
                    raise ImportRefusedError(tr("{path} has become shorter.",
                                                path=self.path.name), tr("What came before is kept."),
                                             tr("Follow it again."))
                file.seek(self._place)
                raw = file.read(MOST_AT_ONCE)
        except OSError as problem:
            raise ImportRefusedError(
                tr("{path} can't be read ({why}).", path=self.path.name, why=why_not(problem)),
                tr("What came before is kept."),
                tr("Follow it again when it is back."),
            ) from problem
        self._place += len(raw)
        *lines, self._rest = (self._rest + raw).split(b"\n")
        for line in lines:
            self._line += 1
            if self._line > self.look.shape.data_from and line.strip():
                self._take(line.decode(self.look.shape.encoding, errors="replace").rstrip("\r"))

    def _take(self, line: str) -> None:
        try:
            at, volts, amps = self._reader(next(csv.reader([line], delimiter=self.look.shape.delimiter)))
            self._first = at if self._first is None else self._first
            seconds = round(at - self._first, 3)
            if seconds <= self._last:
                raise ValueError(tr("not later than the row before"))
        except (ValueError, OverflowError, csv.Error, StopIteration):
            self.refused += 1
            return
        self._last = seconds
        self._waiting.append((seconds, max(volts, 0.0), max(amps, 0.0)))
