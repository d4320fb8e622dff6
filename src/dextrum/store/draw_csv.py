"""Volts and amps over time from the CSV of a power meter or a bench supply, once its columns are known.

Rows that can't be read are counted and kept with their reason, never dropped in silence.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from dextrum.store.draw_csv_look import UNIT_SCALE, ColumnMap, CsvShape, refused_import
from dextrum.store.number_fields import clock_seconds, date_seconds, parse_field, with_unit
from dextrum.tongue import tr

if TYPE_CHECKING:
    from dextrum.core.draw.samples import Tidied

MOST_ROWS = 2_000_000
CHUNK = 4096
MOST_REFUSED_SHOWN = 200
TIME_SCALE = {"s": 1.0, "ms": 1e-3, "us": 1e-6, "min": 60.0, "h": 3600.0, "days": 86_400.0}
TIME_WORDS = {
    "s": "seconds",
    "ms": "milliseconds",
    "us": "microseconds",
    "min": "minutes",
    "h": "hours",
    "days": tr("days as a spreadsheet counts them"),
    "clock": tr("clock times"),
    "iso": tr("dates with times"),
    "iso_month_first": tr("dates with times, month first"),
}
HOUR, HOUR_WITHIN, USUAL_STEP = 3600.0, 150.0, 120.0
VOLTS_BETWEEN, AMPS_BETWEEN = (-1.0, 60.0), (-20.0, 20.0)
DAY = 86_400.0


@dataclass(frozen=True)
class RefusedRow:
    line: int
    why: str


@dataclass(frozen=True)
class DrawFile:
    """What was read. refused: the first of them; refused_count: all of them. turned: the current was
    negative throughout; set_to_zero: single values that were. base: how time was read; clock_changes: how often a clock
    was put on or back by an hour, and that was put right."""

    tidied: Tidied
    refused: tuple[RefusedRow, ...]
    refused_count: int
    turned: bool
    set_to_zero: int = 0
    base: str = ""
    clock_changes: int = 0


def _silent(_share: float) -> bool:
    return True


class RowReader:
    """Rows to seconds, volts and amps."""

    def __init__(self, shape: CsvShape, columns: ColumnMap) -> None:
        self.comma, self.columns = shape.decimal_comma, columns
        self.days, self.last_clock, self.row = 0, -1.0, 0
        self.shifted, self.last_date, self.clock_changes = 0.0, -1.0, 0
        self.needs = max(columns.time, columns.day, columns.volts, columns.amps, columns.watts) + 1

    def time(self, text: str) -> float:
        kind = self.columns.time_kind
        if kind in TIME_SCALE:
            return parse_field(text, self.comma) * TIME_SCALE[kind]
        if kind.startswith("iso"):
            found = date_seconds(text, kind == "iso_month_first")
            if found is None:
                raise ValueError(tr("{text!r} is not a date and time", text=text[:20]))
            return self._over_a_clock_change(found) if self.columns.zone == "local" else found
        clock = clock_seconds(text)
        if clock < self.last_clock - DAY / 2:
            self.days += 1
        self.last_clock = clock
        return clock + DAY * self.days

    def _value(self, text: str, unit: str) -> float:
        """A field in V, A or W; a unit written in the cell itself wins, where it is of the same kind."""
        own = with_unit(text)[1]
        if own and own[-1] != unit[-1]:
            raise ValueError(tr("{text!r} is in {own}; expected {unit}", text=text[:20], own=own, unit=unit[-1]))
        return parse_field(text, self.comma) * UNIT_SCALE[own or unit]

    def _over_a_clock_change(self, found: float) -> float:
        """Local times go back or on by an hour twice a year; what was drawn did not."""
        at = found + self.shifted
        if self.last_date >= 0.0:
            step = at - self.last_date
            back, on = abs(step + HOUR) < HOUR_WITHIN, abs(step - HOUR) < HOUR_WITHIN and 0.0 < self._step < USUAL_STEP
            if back or on:
                self.shifted += HOUR if back else -HOUR
                self.clock_changes += 1
                at = found + self.shifted
            elif step > 0.0:
                self._step = step
        self.last_date = at
        return at

    _step = 0.0

    def __call__(self, row: list[str]) -> tuple[float, float, float]:
        """Raises ValueError with what is wrong."""
        c = self.columns
        if len(row) < self.needs:
            raise ValueError(tr("{count} columns; expected at least {needs}", count=len(row), needs=self.needs))
        volts = self._value(row[c.volts], c.volts_unit)
        if not VOLTS_BETWEEN[0] <= volts <= VOLTS_BETWEEN[1]:
            raise ValueError(tr("{volts:g} V can't be", volts=volts))
        if c.amps >= 0:
            amps = self._value(row[c.amps], c.amps_unit)
        else:
            watts = self._value(row[c.watts], c.watts_unit)
            amps = watts / volts if abs(volts) > 0.05 else 0.0
        if not AMPS_BETWEEN[0] <= amps <= AMPS_BETWEEN[1]:
            raise ValueError(tr("{amps:g} A can't be", amps=amps))
        when = f"{row[c.day].strip()} {row[c.time].strip()}" if c.day >= 0 else row[c.time] if c.time >= 0 else ""
        at = self.time(when) if c.time >= 0 else self.row * c.every_seconds
        self.row += 1
        return at, volts, amps


def _table(path: Path, shape: CsvShape, progress: Callable[[float], bool]) -> Iterator[tuple[int, list[str]]]:
    """Rows with their line, from the first data row on. Raises ImportRefusedError when cancelled."""
    size = max(path.stat().st_size, 1)
    with path.open("rb") as raw, io.TextIOWrapper(raw, shape.encoding, errors="replace", newline="") as file:
        for line, row in enumerate(csv.reader(file, delimiter=shape.delimiter)):
            if line % CHUNK == 0 and not progress(min(raw.tell() / size, 1.0)):
                raise refused_import(tr("The import was stopped."), "")
            if line >= shape.data_from and row:
                yield line + 1, row


def read_draw_csv(path: Path, shape: CsvShape, columns: ColumnMap,
                  progress: Callable[[float], bool] = _silent) -> DrawFile:
    """All samples of a file. progress: told the share done, answers whether to go on.

    Raises ImportRefusedError when no row can be read, there are too many, or it was stopped.
    """
    import numpy as np

    from dextrum.core.draw.samples import tidy

    if columns.problem():
        raise refused_import(columns.problem(), tr("Choose the columns."))
    read = RowReader(shape, columns)
    taken: list[tuple[float, float, float]] = []
    refused: list[RefusedRow] = []
    count = 0
    try:
        for line, row in _table(path, shape, progress):
            try:
                taken.append(read(row))
            except (ValueError, OverflowError) as bad:
                count += 1
                if len(refused) < MOST_REFUSED_SHOWN:
                    why = str(bad)
                    refused.append(RefusedRow(line, why if "could not convert" not in why else
                                              why.replace("could not convert string to float:", "not a number:")))
            if len(taken) > MOST_ROWS:
                raise refused_import(tr("{path} has more than {most_rows} rows.", path=path.name,
                                        most_rows=MOST_ROWS), tr("Cut it into pieces."))
    except (OSError, csv.Error) as problem:
        raise refused_import(tr("{path} can't be read ({problem}).", path=path.name,
                                problem=str(problem)[:80])) from problem
    if not taken:
        raise refused_import(tr("No row of {path} can be read with these columns", path=path.name)
                      + (tr(" (line {line}: {why}).", line=refused[0].line,
                            why=refused[0].why) if refused else "."), tr("Choose other columns."))
    table = np.array(taken)
    turned = bool(np.median(table[:, 2]) < -0.02)
    amps = -table[:, 2] if turned else table[:, 2]
    tidied = tidy(table[:, 0], np.maximum(table[:, 1], 0.0), np.maximum(amps, 0.0))
    base = tr("time read as {time_words}", time_words=TIME_WORDS[columns.time_kind]) if columns.time >= 0 else (
        tr("no time column: a row every {every_seconds:g} s assumed", every_seconds=columns.every_seconds))
    return DrawFile(tidied, tuple(refused), count, turned, int((amps < -0.02).sum()), base, read.clock_changes)
